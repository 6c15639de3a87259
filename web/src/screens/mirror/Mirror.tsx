import { useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { MirrorPage, Session } from '../../api/client';
import { useDraft, useMirror, useRemoveMirror, useRuns, useStartRun } from '../../api/queries';
import { Button } from '../../parts/Button';
import { useKeys } from '../../parts/keys';
import { Spine } from '../../parts/Spine';
import { Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';
import { Bench } from './bench/Bench';
import { BenchPanel } from './bench/BenchPanel';
import type { Open } from './bench/edits';
import { Recognising } from './recognising/Recognising';
import { Sides } from './Sides';
import { SidesDraft } from './SidesDraft';
import { stepStates, type StepState } from './steps';
import { Publish } from './publish/Publish';
import { Rehearse } from './publish/Rehearse';
import { Settling } from './Settling';
import { ScopeAndTiming } from './timing/ScopeAndTiming';

const STEPS = [
  ['sides', 'Sides'],
  ['fields', 'Fields'],
  ['recognising', 'Recognising'],
  ['settling', 'Settling'],
  ['timing', 'Scope and timing'],
  ['rehearse', 'Rehearse'],
  ['publish', 'Publish'],
] as const;

/** Steps that edit the draft: what is said beside them is what the draft would do as a whole. */
const EDITED = ['sides', 'recognising', 'timing', 'rehearse', 'publish'];

/** One mirror: its steps along the top, its spine, and beside it, always, what it does in plain words. */
export function Mirror({ session }: { session: Session }) {
  const { key = '', step = 'fields' } = useParams();
  const [params, setParams] = useSearchParams();
  const sample = Math.max(1, Number(params.get('sample') ?? 1) || 1);
  const mirror = useMirror(key, sample);
  const start = useStartRun(key);
  const go = useNavigate();
  const [chosen, setChosen] = useState<string | null>(null);
  const [open, setOpen] = useState<Open | null>(null);
  const find = params.get('find') ?? '';
  const draft = useDraft(key, sample, find).data;
  const states = stepStates(draft, useRuns(key).data);
  const remove = useRemoveMirror();
  const total = mirror.data?.sample?.of ?? 0;
  const show = (n: number) =>
    total > 0 && setParams({ sample: String(((n - 1 + total) % total) + 1) }, { replace: true });
  const showOnBench = (n: number, text = find) =>
    setParams({ ...(n > 1 ? { sample: String(n) } : {}), ...(text ? { find: text } : {}) }, { replace: true });
  const begin = (rehearse: boolean) => start.mutate({ rehearse }, { onSuccess: (r) => void go(`/runs/${r.run}`) });
  const toCheck = () => {
    setOpen({ kind: 'check' });
    void go(`/mirrors/${key}/fields`);
  };
  const benched = step === 'fields' && session.role === 'administrator';
  useKeys([
    {
      key: 'ArrowRight',
      does: 'Next sample record',
      act: () => (benched ? showOnBench(sample + 1) : show(sample + 1)),
    },
    {
      key: 'ArrowLeft',
      does: 'Sample record before',
      act: () => (benched ? showOnBench(Math.max(1, sample - 1)) : show(sample - 1)),
    },
    { key: 'r', does: 'Run now', act: () => begin(false) },
  ]);
  if (mirror.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="the mirror" />
      </div>
    );
  if (mirror.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={mirror.error} retry={() => void mirror.refetch()} />
      </div>
    );
  const { mirror: m } = mirror.data;
  const mayRun = session.role !== 'reader';
  const isDraft = m.state === 'draft';
  const isRunning = m.lastRun?.state === 'running';
  return (
    <div className="flex min-h-full">
      <div className="min-w-0 flex-1 px-5 pt-3 pb-6">
        <div className="flex items-center gap-3">
          <h1 className="text-lg font-semibold">{m.name}</h1>
          <span className="text-soft">
            {isDraft ? 'draft, not published yet' : `${m.state}, version ${m.version}`}
            {m.lastRun && (
              <>
                {' · '}
                <Link to={`/runs/${m.lastRun.id}`} className="underline">
                  {isRunning ? 'running now' : `last ${m.lastRun.rehearsal ? 'rehearsal' : 'run'} ${m.lastRun.state}`}
                </Link>{' '}
                {!isRunning && <When at={m.lastRun.endedAt ?? m.lastRun.startedAt} />}
              </>
            )}
          </span>
          <span className="ml-auto flex gap-2">
            {isDraft ? (
              session.role === 'administrator' && (
                <Button
                  disabled={remove.isPending}
                  onClick={() => {
                    if (window.confirm(`Take ${m.name} away, with everything mapped in it? This can't be undone.`))
                      remove.mutate(key, { onSuccess: () => void go('/mirrors') });
                  }}
                >
                  Take this mirror away
                </Button>
              )
            ) : (
              <>
                <Link to={`/mirrors/${key}/checks`} className="self-center px-2 text-action hover:underline">
                  Follow-up checks
                </Link>
                {session.role === 'administrator' && (
                  <Link to={`/mirrors/${key}/look-up`} className="self-center px-2 text-action hover:underline">
                    Look up from elsewhere
                  </Link>
                )}
                <Button onClick={() => begin(true)} disabled={!mayRun || isRunning || start.isPending}>
                  Rehearse
                </Button>
                <Button
                  primary
                  keyHint="r"
                  onClick={() => begin(false)}
                  disabled={!mayRun || isRunning || start.isPending}
                >
                  {isRunning ? 'Running…' : 'Run now'}
                </Button>
              </>
            )}
          </span>
        </div>
        <nav aria-label="Steps" className="-mx-5 mt-2 mb-3 flex gap-6 border-b border-rule px-5">
          {STEPS.map(([id, name]) => (
            <Link
              key={id}
              to={`/mirrors/${key}/${id}`}
              aria-current={step === id ? 'step' : undefined}
              className={`flex items-center gap-2 border-b-2 pt-1 pb-2 ${step === id ? 'border-action font-semibold' : 'border-transparent text-soft hover:text-ink'}`}
            >
              <StepMark of={states[id]} />
              {name}
            </Link>
          ))}
        </nav>
        {start.isError && <Notice>{start.error.message}</Notice>}
        {step === 'timing' ? (
          <ScopeAndTiming key={key} page={mirror.data} session={session} check={toCheck} />
        ) : step === 'rehearse' ? (
          <Rehearse key={key} page={mirror.data} session={session} />
        ) : step === 'publish' ? (
          <Publish key={key} page={mirror.data} session={session} check={toCheck} />
        ) : step === 'sides' && session.role === 'administrator' ? (
          <SidesDraft mirrorKey={key} check={toCheck} />
        ) : step === 'sides' ? (
          <Sides page={mirror.data} />
        ) : step === 'recognising' && session.role === 'administrator' ? (
          <Recognising mirrorKey={key} check={toCheck} />
        ) : step === 'settling' && session.role === 'administrator' ? (
          <Settling key={key} mirrorKey={key} check={toCheck} />
        ) : step === 'recognising' ? (
          <p className="max-w-[80ch] border-y border-rule bg-sheet px-4 py-4">
            How records are recognised is said beside, in plain words. An administrator sets it.
          </p>
        ) : benched ? (
          <Bench key={key} mirrorKey={key} at={sample} find={find} show={showOnBench} open={open} choose={setOpen} />
        ) : (
          <Fields page={mirror.data} step={step} chosen={chosen} choose={setChosen} show={show} />
        )}
      </div>
      {benched ? (
        <BenchPanel mirrorKey={key} at={sample} find={find} open={open} choose={setOpen} />
      ) : (
        <PlainWords
          page={mirror.data}
          about={EDITED.includes(step) && draft ? draft.aboutMirror : mirror.data.inPlainWords}
          step={step}
          chosen={chosen}
        />
      )}
    </div>
  );
}

/** How far a step is: a mark, and the word for it. */
function StepMark({ of }: { of: StepState | undefined }) {
  const mark = of?.state === 'needs attention' ? '△' : of?.state === 'not begun' ? '○' : '●';
  return (
    <span title={of?.why} className={of?.state === 'needs attention' ? 'text-held' : of ? 'text-action' : 'text-rule'}>
      <span aria-hidden="true" className="text-[10px]">
        {mark}
      </span>
      {of && <span className="sr-only">{of.state}: </span>}
    </span>
  );
}

function Fields(props: {
  page: MirrorPage;
  step: string;
  chosen: string | null;
  choose: (name: string) => void;
  show: (n: number) => void;
}) {
  const { fields, sample, mirror } = props.page;
  const settling = props.step === 'settling';
  return (
    <>
      <div className="mb-1 flex items-center gap-2 text-soft">
        {sample ? (
          <>
            Sample
            <button
              type="button"
              aria-label="Sample record before"
              onClick={() => props.show(sample.position - 1)}
              className="px-1 font-semibold text-ink"
            >
              ‹
            </button>
            <Link to={`/records/${sample.link}`} className="max-w-72 truncate font-semibold text-ink hover:underline">
              {sample.title}
            </Link>
            <button
              type="button"
              aria-label="Next sample record"
              onClick={() => props.show(sample.position + 1)}
              className="px-1 font-semibold text-ink"
            >
              ›
            </button>
            {sample.position.toLocaleString()} of {sample.of.toLocaleString()}
          </>
        ) : (
          <>No record yet: run or rehearse the mirror to see real values.</>
        )}
        <span className="ml-auto">{fields.length} fields</span>
      </div>
      <Spine
        caption={`Fields of ${mirror.name}`}
        sides={mirror.sides.map((side) => ({ side }))}
        title="Agreed record"
        titleBelow={settling ? 'and what settles it' : `${fields.length} fields`}
        rows={fields.map((f) => ({
          key: f.name,
          group: f.group,
          tone: props.chosen === f.name ? 'chosen' : undefined,
          onOpen: () => props.choose(f.name),
          spine: (
            <button type="button" className="text-left" onClick={() => props.choose(f.name)}>
              <span className="font-semibold">{f.name}</span>{' '}
              <span className="text-sm text-spine-ink">{f.type === 'text' ? '' : f.type}</span>
            </button>
          ),
          spineBelow: settling ? `by ${f.rule}` : f.agreed?.value || ' ',
          cells: f.cells.map((c) =>
            c === null
              ? null
              : {
                  main: c.path,
                  below: c.raw ?? <span className="text-soft">empty</span>,
                  gives: c.gives,
                  takes: c.takes,
                  beside: c.conversion && (
                    <span title={`as ${c.conversion}`} className="font-serif text-action italic">
                      ƒ<span className="sr-only"> as {c.conversion}</span>
                    </span>
                  ),
                },
          ),
        }))}
      />
    </>
  );
}

function PlainWords({
  page,
  about: sentences,
  step,
  chosen,
}: {
  page: MirrorPage;
  about: string[];
  step: string;
  chosen: string | null;
}) {
  const fields = chosen ? page.fields.filter((f) => f.name === chosen) : page.fields;
  const about = EDITED.includes(step);
  return (
    <aside
      aria-label="In plain words"
      className="w-[330px] shrink-0 overflow-auto border-l border-rule bg-sheet px-4 py-4"
    >
      <h2 className="font-semibold">In plain words</h2>
      <ul className="mt-2 flex flex-col gap-2">
        {sentences.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </ul>
      {!about || chosen ? (
        <dl className="mt-4">
          {fields.map((f) => (
            <div key={f.name} className="border-t border-rule py-2">
              <dt className="text-sm font-semibold text-soft">{f.name}</dt>
              <dd>{f.inPlainWords}</dd>
            </div>
          ))}
        </dl>
      ) : null}
    </aside>
  );
}
