import { Link, useNavigate } from 'react-router';
import type { Run, Session } from '../../api/client';
import { useAnswerGuard, usePlanned } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Mark } from '../../parts/Mark';
import { Failing, Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';

const ANSWERED: Record<string, string> = {
  once: 'let it go on this once',
  always: 'let it go on, and as much from then on',
  stop: 'stopped it and paused the mirror',
};

/** A run that a guard paused before it wrote: what it would do, and the answers to that. */
export function Guarded({ run, session }: { run: Run; session: Session }) {
  const waits = !run.guardAnswer;
  const planned = usePlanned(run.id, waits);
  const answer = useAnswerGuard();
  const go = useNavigate();
  const say = (what: string) =>
    answer.mutate(
      { id: run.id, answer: what },
      { onSuccess: (gone) => void (gone.run ? go(`/runs/${gone.run}`) : undefined) },
    );
  if (!waits)
    return (
      <>
        <p className="mt-2 text-soft">
          {run.guardAnsweredBy} {ANSWERED[run.guardAnswer!] ?? run.guardAnswer}.
        </p>
        {answer.isError && <Notice>{answer.error.message}</Notice>}
      </>
    );
  return (
    <>
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <Button primary disabled={session.role === 'reader' || answer.isPending} onClick={() => say('once')}>
          Go on this once
        </Button>
        <Button disabled={session.role !== 'administrator' || answer.isPending} onClick={() => say('always')}>
          Go on, and let as much pass from now on
        </Button>
        <Button disabled={session.role !== 'administrator' || answer.isPending} onClick={() => say('stop')}>
          Stop, and pause the mirror
        </Button>
        <span className="text-soft">
          Or put right what led to it: the next run looks again, and asks only if it is still as much.
        </span>
      </div>
      {answer.isError && (
        <div className="mt-2">
          <Notice>{answer.error.message}</Notice>
        </div>
      )}
      {planned.isPending && <Loading what="what it would write" />}
      {planned.isError && <Failing error={planned.error} retry={() => void planned.refetch()} />}
      {planned.data && planned.data.total > 0 && (
        <>
          <h2 className="mt-5 border-b border-rule py-1.5 font-semibold">
            What it would write <span className="font-normal text-soft">{planned.data.total.toLocaleString()}</span>
          </h2>
          <ul className="bg-sheet">
            {planned.data.writes.map((w, n) => (
              <li
                key={n}
                className="grid grid-cols-[110px_24px_260px_minmax(0,1fr)] items-baseline gap-2 border-b border-rule px-2 py-[7px]"
              >
                {w.kind === 'create' ? (
                  <Mark of="created" word />
                ) : w.kind === 'remove' ? (
                  <span className="font-semibold text-refused">− removed</span>
                ) : (
                  <Mark of="updated" word />
                )}
                <SystemTile of={planned.data.sides[w.side]!} />
                <Link to={`/records/${w.link}`} className="truncate font-semibold hover:underline" title={w.title}>
                  {w.title}
                </Link>
                <span className="truncate">
                  {w.kind === 'change'
                    ? w.fields.map((f) => `${f.field}: ${f.now || 'empty'} → ${f.after || 'empty'}`).join(', ')
                    : w.kind === 'create'
                      ? w.fields
                          .filter((f) => f.after)
                          .map((f) => f.after)
                          .join(', ')
                      : w.recordId}
                </span>
              </li>
            ))}
          </ul>
          {planned.data.total > planned.data.writes.length && (
            <p className="mt-2 text-soft">
              The first {planned.data.writes.length} of {planned.data.total.toLocaleString()} are shown.
            </p>
          )}
        </>
      )}
    </>
  );
}
