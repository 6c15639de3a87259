import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { Run, Session } from '../../api/client';
import { useReleaseUndone, useRun, useRunAgain, useRunAsRehearsed, useStopRun } from '../../api/queries';
import { Guarded } from './Guarded';
import { Planned } from './Planned';
import { RunLog } from './RunLog';
import { Button } from '../../parts/Button';
import { Progress } from '../../parts/Foot';
import { Mark, type MarkName } from '../../parts/Mark';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';

const OUTCOMES: [string, MarkName, keyof Run['counts']][] = [
  ['Created', 'created', 'created'],
  ['Updated', 'updated', 'updated'],
  ['Linked', 'linked', 'linked'],
  ['InConflict', 'inConflict', 'inConflict'],
  ['Held', 'held', 'held'],
  ['Refused', 'refused', 'refused'],
];

/** One run: how far it is while it goes on, and what it did, record by record. */
export function RunScreen({ session }: { session: Session }) {
  const id = Number(useParams().id);
  const [params, setParams] = useSearchParams();
  const outcome = params.get('outcome');
  const isLog = params.get('show') === 'log';
  const run = useRun(id, outcome);
  const stop = useStopRun();
  const release = useReleaseUndone();
  const go = useNavigate();
  const again = useRunAgain();
  const asRehearsed = useRunAsRehearsed();
  if (run.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="the run" />
      </div>
    );
  if (run.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={run.error} retry={() => void run.refetch()} />
      </div>
    );
  const { run: r, records, total, held } = run.data;
  const setAside = r.setAside ?? 0;
  const isQuiet = r.state === 'finished' && !r.rehearsal && r.counts.written === 0;
  return (
    <div className="mx-auto max-w-[1100px] px-5 py-4">
      <div className="flex items-center gap-3">
        <h1 className="text-lg font-semibold">
          <Link to={`/mirrors/${r.mirror}`} className="hover:underline">
            {r.mirrorName}
          </Link>
          , {r.rehearsal ? 'rehearsal' : 'run'} {r.id}
        </h1>
        <span className="text-soft">
          begun <When at={r.startedAt} /> by {r.startedBy}
          {r.endedAt && <>, {took(r)}</>}
        </span>
        {r.state === 'running' && (
          <Button
            className="ml-auto"
            onClick={() => stop.mutate(r.id)}
            disabled={session.role === 'reader' || stop.isPending}
          >
            {stop.isSuccess ? 'Stopping…' : 'Stop'}
          </Button>
        )}
        {r.canUndo && (
          <Button
            className="ml-auto"
            disabled={session.role === 'reader'}
            onClick={() => void go(`/runs/${r.id}/undo`)}
          >
            Take it back…
          </Button>
        )}
      </div>
      <div aria-live="polite" className="mt-3 border-y border-rule bg-sheet px-4 py-3">
        {r.state === 'running' ? (
          <div className="flex items-center gap-3">
            <strong className="font-semibold text-action">{capital(r.stage ?? 'starting')}</strong>
            <Progress run={r} wide />
          </div>
        ) : r.state === 'finished' ? (
          <p>
            <strong className="font-semibold">
              {isQuiet
                ? 'Nothing to write.'
                : r.rehearsal
                  ? `${r.sampled != null ? `Of ${r.sampled.toLocaleString()} records only: would` : 'Would'} write ${r.counts.planned.toLocaleString()} times; wrote nothing.`
                  : `Wrote ${r.counts.written === 1 ? 'once' : `${r.counts.written.toLocaleString()} times`}.`}
            </strong>{' '}
            {r.counts.read.toLocaleString()} records read, {r.counts.unchanged.toLocaleString()} unchanged
            {r.rehearsal && r.counts.held > 0 && `, ${r.counts.held.toLocaleString()} would be held`}
            {(r.counts.outOfScope ?? 0) > 0 && `, ${r.counts.outOfScope!.toLocaleString()} out of scope`}.
            {isQuiet && ' Every side holds what is agreed.'}
            {r.reason && <span className="mt-1 block text-held">{r.reason}</span>}
          </p>
        ) : r.state === 'paused' ? (
          <p>
            <strong className="font-semibold text-held">Paused by a guard.</strong> {r.reason}
          </p>
        ) : (
          <p>
            <strong className={`font-semibold ${r.state === 'failed' ? 'text-refused' : 'text-held'}`}>
              {capital(r.state)}.
            </strong>{' '}
            {r.reason}
          </p>
        )}
      </div>
      {stop.isError && <Notice>{stop.error.message}</Notice>}
      {release.isError && <Notice>{release.error.message}</Notice>}
      {(r.undoneBy || setAside > 0) && (
        <div className="flex items-center gap-3 border-b border-rule bg-held-tint px-4 py-2">
          <p>
            {r.undoneBy ? (
              <>
                <strong className="font-semibold">{r.undoneBy} took this run back</strong>, <When at={r.undoneAt!} />.
              </>
            ) : (
              <strong className="font-semibold">Part of this run was taken back.</strong>
            )}{' '}
            {setAside > 0 &&
              `${setAside === 1 ? 'One record is' : `${setAside.toLocaleString()} records are`} left alone until you let ${setAside === 1 ? 'it' : 'them'} go on.`}
          </p>
          {setAside > 0 && (
            <Button
              className="ml-auto"
              disabled={session.role === 'reader' || release.isPending}
              onClick={() => release.mutate(r.id)}
            >
              Let {setAside === 1 ? 'it' : 'them'} go on
            </Button>
          )}
        </div>
      )}
      {(again.isError || asRehearsed.isError) && <Notice>{(again.error ?? asRehearsed.error)!.message}</Notice>}
      {!r.rehearsal && r.state !== 'running' && held > 0 && (
        <div className="flex items-center gap-3 border-b border-rule bg-held-tint px-4 py-2">
          <p>
            {held === 1 ? 'One record that it set aside is' : `${held.toLocaleString()} records that it set aside are`}{' '}
            <Link to="/held" className="underline">
              held
            </Link>{' '}
            still.
          </p>
          <Button
            className="ml-auto"
            disabled={session.role === 'reader' || again.isPending}
            onClick={() => again.mutate(r.id, { onSuccess: (started) => void go(`/runs/${started.run}`) })}
          >
            Try {held === 1 ? 'it' : 'only these'} again
          </Button>
        </div>
      )}
      {r.rehearsal && r.state === 'finished' && r.counts.planned > 0 && session.role !== 'reader' && (
        <div className="flex items-center gap-3 border-b border-rule bg-sheet px-4 py-2">
          <p className="text-soft">
            A run can make exactly these writes and no other. What would be written otherwise by now is left to the run
            after it.
          </p>
          <Button
            className="ml-auto"
            disabled={asRehearsed.isPending}
            onClick={() => asRehearsed.mutate(r.id, { onSuccess: (started) => void go(`/runs/${started.run}`) })}
          >
            Do exactly this
          </Button>
        </div>
      )}
      {r.state === 'paused' && <Guarded run={r} session={session} />}
      <nav aria-label="Of this run" className="mt-4 flex gap-5 border-b border-rule">
        {[['What became of records', '', !isLog] as const, ['Log', '?show=log', isLog] as const].map(
          ([name, to, on]) => (
            <Link
              key={name}
              to={`/runs/${r.id}${to}`}
              replace
              aria-current={on ? 'page' : undefined}
              className={`-mb-px border-b-2 pb-1.5 ${on ? 'border-action font-semibold' : 'border-transparent text-soft hover:text-ink'}`}
            >
              {name}
            </Link>
          ),
        )}
      </nav>
      {isLog ? (
        <RunLog run={r} />
      ) : r.rehearsal && r.state === 'finished' ? (
        <Planned run={r.id} title="What a run would write" />
      ) : r.state === 'paused' && total === 0 ? null : (
        <>
          <div className="mt-4 flex gap-1" role="group" aria-label="Show">
            <Filter
              on={outcome === null}
              name={<>All</>}
              count={total}
              set={() => setParams({})}
              hidden={outcome !== null}
            />
            {OUTCOMES.filter(([o, , key]) => r.counts[key] > 0 || outcome === o).map(([o, mark, key]) => (
              <Filter
                key={o}
                on={outcome === o}
                name={<Mark of={mark} word />}
                count={r.counts[key]}
                set={() => setParams(outcome === o ? {} : { outcome: o })}
              />
            ))}
          </div>
          {records.length === 0 ? (
            <div className="mt-2">
              <Empty title={r.state === 'running' ? 'Nothing decided yet.' : 'No record was touched.'}>
                {r.state === 'running'
                  ? 'Records appear here as they are decided.'
                  : 'Records that a run links, creates, updates, holds or finds in conflict are listed here.'}
              </Empty>
            </div>
          ) : (
            <ul className="mt-2 border-t border-rule bg-sheet">
              {records.map((x) => (
                <li
                  key={x.link}
                  className="group grid grid-cols-[120px_minmax(0,1fr)_minmax(0,1fr)_110px] border-b border-rule px-2 py-[7px]"
                >
                  <Mark of={OUTCOMES.find(([o]) => o === x.outcome)?.[1] ?? 'unchanged'} word />
                  <Link to={`/records/${x.link}`} className="truncate font-semibold hover:underline">
                    {x.title}
                  </Link>
                  <span className="truncate text-soft">{x.fields.join(', ')}</span>
                  {r.canUndo && session.role !== 'reader' && (x.outcome === 'Updated' || x.outcome === 'Created') && (
                    <Link
                      to={`/runs/${r.id}/undo?record=${x.link}`}
                      className="text-right text-action opacity-0 group-hover:opacity-100 focus:opacity-100 hover:underline"
                    >
                      Take it back…
                    </Link>
                  )}
                </li>
              ))}
            </ul>
          )}
          {total > records.length && (
            <p className="mt-2 text-soft">
              The first {records.length} of {total.toLocaleString()} are shown.
            </p>
          )}
        </>
      )}
    </div>
  );
}

function Filter(props: { on: boolean; name: React.ReactNode; count: number; set: () => void; hidden?: boolean }) {
  return (
    <button
      type="button"
      aria-pressed={props.on}
      onClick={props.set}
      className={`flex items-center gap-2 rounded border px-2.5 py-1 ${props.on ? 'border-rule bg-sheet font-semibold' : 'border-transparent hover:bg-sheet'}`}
    >
      {props.name}
      {!props.hidden && <span className="font-semibold">{props.count.toLocaleString()}</span>}
    </button>
  );
}

function took(r: Run) {
  const seconds = (new Date(r.endedAt!).getTime() - new Date(r.startedAt).getTime()) / 1000;
  return seconds < 90 ? `took ${seconds.toFixed(1)} s` : `took ${Math.round(seconds / 60)} min`;
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
