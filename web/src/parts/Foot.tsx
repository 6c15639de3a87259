import { Link } from 'react-router';
import type { Run } from '../api/client';
import { useRuns, useSystems } from '../api/queries';
import { clock, When } from './When';

/** A thin line at the foot of every page: the run in progress, a system that is slow or down, the last thing that went wrong. */
export function Foot() {
  const runs = useRuns();
  const systems = useSystems();
  const running = runs.data?.find((r) => r.state === 'running');
  const last = runs.data?.find((r) => r.state !== 'running');
  const ailing = systems.data?.filter((s) => s.state === 'slow' || s.state === 'down') ?? [];
  const failed = runs.data?.find((r) => r.state === 'failed');
  return (
    <footer
      className="flex h-7 shrink-0 items-center gap-6 overflow-hidden border-t border-rule px-5 text-sm text-soft"
      aria-live="off"
    >
      {running ? (
        <Link to={`/runs/${running.id}`} className="flex items-center gap-2 whitespace-nowrap text-ink">
          <span aria-hidden="true" className="text-action">
            ▸
          </span>
          {running.mirrorName} · {running.rehearsal ? 'rehearsal' : 'run'} {running.id} · {running.stage ?? 'starting'}
          <Progress run={running} />
        </Link>
      ) : last ? (
        <span className="whitespace-nowrap">
          Nothing is running.{' '}
          <Link to={`/runs/${last.id}`} className="underline">
            {last.mirrorName} {last.rehearsal ? 'rehearsal' : 'run'} {last.id}
          </Link>{' '}
          {last.state} <When at={last.endedAt ?? last.startedAt} />
        </span>
      ) : (
        <span>No run yet.</span>
      )}
      {ailing.map((s) => (
        <span key={s.system} className="whitespace-nowrap">
          {s.name} is <strong className="font-semibold text-held">{s.state}</strong>
          {s.state === 'slow' && s.milliseconds !== null && `, ${(s.milliseconds / 1000).toFixed(1)} s a call`}
        </span>
      ))}
      {failed && (
        <Link to={`/runs/${failed.id}`} className="ml-auto truncate hover:text-ink" title={failed.reason ?? ''}>
          Last trouble {clock(failed.endedAt ?? failed.startedAt)} · {failed.reason}
        </Link>
      )}
    </footer>
  );
}

/** How far a run is: of what it planned to write, once that is known. */
export function Progress({ run, wide = false }: { run: Run; wide?: boolean }) {
  const { planned, written, read } = run.counts;
  if (run.stage !== 'delivering' || planned === 0) return <span>{read.toLocaleString()} read</span>;
  const done = Math.min(1, written / planned);
  return (
    <span className="flex items-center gap-2">
      <span
        role="progressbar"
        aria-label="Written"
        aria-valuemin={0}
        aria-valuemax={planned}
        aria-valuenow={written}
        className={`h-1.5 overflow-hidden rounded-full bg-rule ${wide ? 'w-60' : 'w-28'}`}
      >
        <span className="block h-full bg-action" style={{ width: `${done * 100}%` }} />
      </span>
      {written.toLocaleString()} of {planned.toLocaleString()}
    </span>
  );
}
