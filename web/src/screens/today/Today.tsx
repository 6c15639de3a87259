import { Link } from 'react-router';
import type { MirrorToday, Need, Session, System, Today as TodayData } from '../../api/client';
import { useToday } from '../../api/queries';
import { Mark, type MarkName } from '../../parts/Mark';
import { Empty, Failing, Loading } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';
import { FirstSteps } from './FirstSteps';
import { Moved } from './Moved';
import { inWords } from '../system/protocols';

const NEED_MARKS: Record<string, MarkName> = {
  conflict: 'inConflict',
  held: 'held',
  failed: 'refused',
  guard: 'attention',
  system: 'attention',
  lookAlike: 'lookAlike',
  flagged: 'flagged',
};

/** What needs a person, what moved, and how the systems are. */
export function Today({ session }: { session: Session }) {
  const today = useToday();
  if (today.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="what happened today" />
      </div>
    );
  if (today.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={today.error} retry={() => void today.refetch()} />
      </div>
    );
  const { needs, mirrors, systems, settled } = today.data;
  // Until a mirror has run there is nothing to tell but the way there.
  if (!mirrors.some((m) => m.lastRun && !m.lastRun.rehearsal) && needs.length === 0)
    return <FirstSteps systems={systems} mirrors={mirrors} session={session} />;
  return (
    <div className="mx-auto grid max-w-[1500px] grid-cols-[minmax(0,1fr)_400px] gap-x-8 px-5 py-4">
      <div>
        <Heading title="Needs you" beside={needs.length > 0 ? 'oldest first' : undefined} />
        {needs.length === 0 ? (
          <Empty title="Nothing waits for you.">
            Conflicts that no rule may decide, records that are held, and runs that failed will stand here, each with
            the way to settle it.
          </Empty>
        ) : (
          <ul className="border-y border-rule bg-sheet">
            {needs.map((need) => (
              <NeedLine key={need.address + need.subject} need={need} />
            ))}
          </ul>
        )}
        <Heading title="Mirrors" beside={states(mirrors)} className="mt-6" />
        <MirrorTable mirrors={mirrors} />
      </div>
      <div>
        <Heading title="Systems" />
        <ul className="border-y border-rule bg-sheet">
          {systems.map((s) => (
            <SystemLine key={s.system} system={s} />
          ))}
        </ul>
        <SettledThisWeek settled={settled} />
      </div>
    </div>
  );
}

function Heading({ title, beside, className = '' }: { title: string; beside?: string; className?: string }) {
  return (
    <h2 className={`mb-2 flex items-baseline gap-2.5 text-lg font-semibold ${className}`}>
      {title}
      {beside && <span className="text-base font-normal text-soft">{beside}</span>}
    </h2>
  );
}

function NeedLine({ need }: { need: Need }) {
  return (
    <li className="grid grid-cols-[28px_minmax(0,1fr)_96px_64px] items-baseline border-b border-rule px-2 py-[7px] last:border-b-0">
      <Mark of={NEED_MARKS[need.kind] ?? 'attention'} />
      <span className="truncate" title={`${need.subject}${need.text}`}>
        <strong className="font-semibold">{need.subject}</strong> {need.text.replace(/^: /, '· ')}
      </span>
      <span className="text-soft">
        <When at={need.since} />
      </span>
      <Link to={need.address} className="text-right font-semibold text-action hover:underline">
        {need.action}
      </Link>
    </li>
  );
}

function states(mirrors: MirrorToday[]) {
  const live = mirrors.filter((m) => m.state === 'live').length;
  const paused = mirrors.filter((m) => m.state === 'paused').length;
  const drafts = mirrors.length - live - paused;
  return [`${live} live`, paused > 0 && `${paused} paused`, drafts > 0 && `${drafts} in draft`]
    .filter(Boolean)
    .join(', ');
}

function MirrorTable({ mirrors }: { mirrors: MirrorToday[] }) {
  return (
    <table className="w-full border-b border-rule">
      <thead className="border-t border-rule text-left text-sm text-soft">
        <tr className="[&>th]:px-2 [&>th]:py-1.5 [&>th]:font-semibold">
          <th>Mirror</th>
          <th>Between</th>
          <th>Last run</th>
          <th>Next</th>
          <th className="text-right">Today</th>
          <th className="text-right">Yesterday</th>
          <th className="text-right">7 days</th>
          <th>Values written, last 24 hours</th>
        </tr>
      </thead>
      <tbody className="bg-sheet">
        {mirrors.map((m) => (
          <tr key={m.key} className="border-t border-rule [&>td]:px-2 [&>td]:py-2.5">
            <td>
              <Link to={`/mirrors/${m.key}`} className="font-semibold hover:underline">
                {m.name}
              </Link>
            </td>
            <td>
              <span className="flex gap-1">
                {m.sides.map((s) => (
                  <SystemTile key={s.index} of={s} />
                ))}
              </span>
            </td>
            <td>
              {m.lastRun ? (
                <Link to={`/runs/${m.lastRun.id}`} className="hover:underline">
                  {m.lastRun.state === 'running' ? (
                    'running'
                  ) : m.lastRun.state === 'finished' ? (
                    <When at={m.lastRun.endedAt ?? m.lastRun.startedAt} />
                  ) : (
                    <span className="text-refused">{m.lastRun.state}</span>
                  )}
                </Link>
              ) : (
                <span className="text-soft">never</span>
              )}
            </td>
            <td className="text-soft">
              {m.state === 'paused' ? 'paused' : m.nextRun ? <When at={m.nextRun} past={false} /> : 'by hand'}
            </td>
            <td className="text-right">{m.today.toLocaleString()}</td>
            <td className="text-right">{m.yesterday.toLocaleString()}</td>
            <td className="text-right">{m.sevenDays.toLocaleString()}</td>
            <td>
              <Moved hours={m.hours} sides={m.sides} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const HEALTH: Record<string, string> = { answering: 'text-action', slow: 'text-held', down: 'text-refused' };

function SystemLine({ system }: { system: System }) {
  return (
    <li className="flex gap-2.5 border-b border-rule px-2.5 py-2.5 last:border-b-0">
      <SystemTile of={system} />
      <div className="min-w-0 flex-1">
        <div className="flex justify-between gap-3">
          <Link to={`/systems/${system.system}`} className="font-semibold hover:underline">
            {system.name}
          </Link>
          <span className={`font-semibold ${HEALTH[system.state] ?? 'text-soft'}`}>{system.state}</span>
        </div>
        <div className="text-sm text-soft">
          {system.milliseconds !== null
            ? `answers in ${inWords(system.milliseconds)} · ${system.calls.toLocaleString()} calls`
            : 'no call yet'}
          {system.failures > 0 && ` · ${system.failures.toLocaleString()} failed`}
        </div>
        {system.changes > 0 && (
          <Link to={`/systems/${system.system}/changes`} className="text-sm font-semibold text-held hover:underline">
            △ {system.changes} {system.changes === 1 ? 'field or collection changed' : 'fields or collections changed'}
          </Link>
        )}
        {system.state === 'down' && system.lastFault && <div className="text-sm text-refused">{system.lastFault}</div>}
      </div>
    </li>
  );
}

function SettledThisWeek({ settled }: { settled: TodayData['settled'] }) {
  const lines: [string, number, string][] = [
    ['Only one side changed', settled.oneSide, 'bg-bar'],
    ['By a rule', settled.byRule, 'bg-bar'],
    ['Sides came to agree', settled.cameToAgree, 'bg-bar'],
    ['By a person', settled.byPerson, 'bg-conflict'],
  ];
  const total = lines.reduce((sum, [, n]) => sum + n, 0);
  const most = Math.max(1, ...lines.map(([, n]) => n));
  return (
    <section className="mt-6">
      <Heading title="Settled this week" beside={`${total.toLocaleString()} ${total === 1 ? 'change' : 'changes'}`} />
      <dl className="border-y border-rule bg-sheet px-2.5 py-2">
        {lines.map(([name, count, colour]) => (
          <div key={name} className="grid grid-cols-[140px_1fr_56px] items-center gap-2 py-1">
            <dt className="text-sm">{name}</dt>
            <dd aria-hidden="true">
              <span className={`block h-3 ${colour}`} style={{ width: `${(100 * count) / most}%` }} />
            </dd>
            <dd className="text-right text-sm">{count.toLocaleString()}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
