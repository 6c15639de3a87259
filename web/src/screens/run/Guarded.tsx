import { useNavigate } from 'react-router';
import type { Run, Session } from '../../api/client';
import { useAnswerGuard } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { Planned } from './Planned';

const ANSWERED: Record<string, string> = {
  once: 'let it go on this once',
  always: 'let it go on, and as much from then on',
  stop: 'stopped it and paused the mirror',
};

/** A run that a guard paused before it wrote: what it would do, and the answers to that. */
export function Guarded({ run, session }: { run: Run; session: Session }) {
  const waits = !run.guardAnswer;
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
      <Planned run={run.id} title="What it would write" />
    </>
  );
}
