import { useState } from 'react';
import { Link, NavLink, useNavigate, useParams } from 'react-router';
import type { ConnectionAsked, Session, Survey, SystemPage } from '../../api/client';
import { useKeepConnection, useRemoveSystem, useSurvey, useSystem } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Failing, Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';
import { limits, STATE } from '../systems/Systems';
import { Calls } from './Calls';
import { Catalogue } from './Catalogue';
import { CatalogueChanges } from './CatalogueChanges';
import { askedOf, ConnectionForm } from './ConnectionForm';
import { Events } from './Events';
import { Inboxes } from './Inboxes';
import { KeptTest, TestSteps, useConnectionTest } from './ConnectionTest';
import { inWords, PROTOCOLS } from './protocols';

const PARTS = [
  ['', 'Catalogue'],
  ['changes', 'Changes'],
  ['calls', 'Calls'],
  ['events', 'Events'],
  ['connection', 'Connection'],
] as const;

/** One system: how it answers, what it holds, what changed in it, what was asked of it, and how it is reached. */
export function SystemScreen({ session }: { session: Session }) {
  const { key = '', part = '' } = useParams();
  const page = useSystem(key);
  if (page.isPending)
    return (
      <Page>
        <Loading what="the system" />
      </Page>
    );
  if (page.isError)
    return (
      <Page>
        <Failing error={page.error} retry={() => void page.refetch()} />
      </Page>
    );
  const { system: s } = page.data;
  const sends = s.protocol === 'events';
  return (
    <Page>
      <header className="mb-3 flex items-start gap-3">
        <span className="mt-1">
          <SystemTile of={s} />
        </span>
        <div className="min-w-0">
          <h1 className="text-lg font-semibold">
            {s.name} {!sends && <span className={`ml-1 text-sm ${STATE[s.state] ?? 'text-soft'}`}>{s.state}</span>}
          </h1>
          <p className="truncate text-soft">
            {PROTOCOLS[s.protocol]?.name}
            {!sends && ` · ${s.address}`}
          </p>
        </div>
        <Health page={page.data} />
      </header>
      {s.state === 'down' && s.lastFault && s.lastFaultAt && (
        <div className="mb-3">
          <Notice>
            <When at={s.lastFaultAt} />: {s.lastFault}
          </Notice>
        </div>
      )}
      <nav aria-label={s.name} className="mb-3 flex gap-1 border-b border-rule">
        {PARTS.filter(([to]) => !sends || to !== 'calls').map(([to, name]) => (
          <NavLink
            key={to}
            to={`/systems/${key}${to && '/'}${to}`}
            end
            className={({ isActive }) =>
              `border-b-2 px-3 py-1.5 ${isActive ? 'border-action font-semibold' : 'border-transparent text-soft hover:text-ink'}`
            }
          >
            {name}
            {to === 'changes' && s.changes > 0 && <span className="ml-1.5 font-semibold text-held">△ {s.changes}</span>}
          </NavLink>
        ))}
      </nav>
      {part === '' && (
        <>
          <SurveyLine page={page.data} mayAsk={session.role !== 'reader'} />
          {page.data.catalogue && <Catalogue systemKey={key} version={page.data.catalogue.version} />}
        </>
      )}
      {part === 'changes' && <CatalogueChanges systemKey={key} mayMark={session.role !== 'reader'} />}
      {part === 'calls' && <Calls systemKey={key} mayUnmask={session.role === 'administrator'} />}
      {part === 'events' &&
        (sends ? (
          <Inboxes systemKey={key} name={s.name} isMine={session.role === 'administrator'} />
        ) : (
          <Events systemKey={key} name={s.name} isMine={session.role === 'administrator'} />
        ))}
      {part === 'connection' && <Connection page={page.data} session={session} />}
    </Page>
  );
}

function Page({ children }: { children: React.ReactNode }) {
  return <div className="mx-auto max-w-[1240px] px-5 py-4">{children}</div>;
}

function Health({ page }: { page: SystemPage }) {
  const s = page.system;
  const facts: [string, string][] = [
    ...(s.protocol === 'events'
      ? []
      : ([
          ['Answers in', s.milliseconds === null ? '–' : inWords(s.milliseconds)],
          ['Calls', `${s.calls.toLocaleString()}${s.failures > 0 ? `, ${s.failures.toLocaleString()} failed` : ''}`],
          ['Allowed', limits(s)],
        ] as [string, string][])),
    ...(page.clockAheadSeconds !== null && Math.abs(page.clockAheadSeconds) >= 60
      ? ([
          ['Its clock', `${Math.abs(page.clockAheadSeconds)} s ${page.clockAheadSeconds > 0 ? 'ahead' : 'behind'}`],
        ] as [string, string][])
      : []),
    ['Used by', s.mirrors.length > 0 ? s.mirrors.join(', ') : 'no mirror yet'],
  ];
  return (
    <dl className="ml-auto flex shrink-0 gap-6">
      {facts.map(([name, value]) => (
        <div key={name}>
          <dt className="text-sm text-soft">{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

function SurveyLine({ page, mayAsk }: { page: SystemPage; mayAsk: boolean }) {
  const survey = useSurvey(page.system.system);
  const state: Survey | null = page.survey;
  const busy = Boolean(state && !state.endedAt);
  return (
    <div className="mb-2 flex items-center gap-3">
      <div className="min-w-0 flex-1 text-soft" aria-live="polite">
        {busy && state ? (
          <span role="status" className="flex items-center gap-3">
            {state.words}
            {state.collections > 0 && (
              <progress
                className="h-2 w-40 accent-action"
                value={state.done}
                max={state.collections}
                aria-label="How far the catalogue is read"
              />
            )}
          </span>
        ) : state?.fault ? (
          <span className="text-refused">{state.fault}</span>
        ) : page.catalogue ? (
          <>
            Version {page.catalogue.version}, looked at <When at={page.catalogue.lookedAt} />
            {state?.words.includes('Not readable') && <span className="text-held"> · {state.words}</span>}
          </>
        ) : (
          'What it holds was not read yet.'
        )}
      </div>
      {mayAsk && (
        <Button onClick={() => survey.mutate()} disabled={busy || survey.isPending}>
          {busy ? 'Reading…' : 'Read the catalogue again'}
        </Button>
      )}
    </div>
  );
}

function Connection({ page, session }: { page: SystemPage; session: Session }) {
  const [asked, setAsked] = useState<ConnectionAsked>(() => askedOf(page));
  const test = useConnectionTest('/api/systems/try');
  const keep = useKeepConnection();
  const remove = useRemoveSystem(page.system.system);
  const go = useNavigate();
  const isMine = session.role === 'administrator';
  const changed = JSON.stringify(asked) !== JSON.stringify(askedOf(page));
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,440px)] items-start gap-8">
      {isMine ? (
        <ConnectionForm asked={asked} change={setAsked} kept secretsKept={page.secrets} />
      ) : (
        <p className="text-soft">Only an administrator changes how a system is reached.</p>
      )}
      <aside className="sticky top-4 space-y-4">
        {changed && isMine ? (
          <>
            <div className="flex gap-2">
              <Button disabled={test.busy} onClick={() => void test.run(asked)}>
                {test.busy ? 'Testing…' : 'Test as typed'}
              </Button>
              <Button
                primary
                disabled={keep.isPending}
                onClick={() => keep.mutate(asked, { onSuccess: () => setAsked({ ...asked, secrets: null }) })}
              >
                Keep the changes
              </Button>
              <Button onClick={() => setAsked(askedOf(page))}>Undo</Button>
            </div>
            {keep.isError && <Notice>{keep.error.message}</Notice>}
            <TestSteps steps={test.steps} busy={test.busy} fault={test.fault} />
          </>
        ) : (
          <KeptTest systemKey={page.system.system} last={page.lastTest} mayTest={session.role !== 'reader'} />
        )}
        {page.secrets.length > 0 && (
          <p className="text-sm text-soft">
            Secrets typed <When at={page.secretsChangedAt} />, kept encrypted, and never shown again.
          </p>
        )}
        {isMine && (
          <div className="border-t border-rule pt-3">
            <Button
              disabled={page.system.mirrors.length > 0 || remove.isPending}
              onClick={() => {
                if (
                  window.confirm(`Remove ${page.system.name}, with its catalogue and its calls? This can't be undone.`)
                )
                  remove.mutate(undefined, { onSuccess: () => void go('/systems') });
              }}
            >
              Remove this system
            </Button>
            {page.system.mirrors.length > 0 && (
              <p className="mt-1 text-sm text-soft">
                It is used by{' '}
                <Link to="/mirrors" className="underline">
                  {page.system.mirrors.join(', ')}
                </Link>
                .
              </p>
            )}
            {remove.isError && <Notice>{remove.error.message}</Notice>}
          </div>
        )}
      </aside>
    </div>
  );
}
