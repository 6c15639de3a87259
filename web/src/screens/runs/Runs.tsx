import { Link } from 'react-router';
import type { Run } from '../../api/client';
import { useRuns } from '../../api/queries';
import { Progress } from '../../parts/Foot';
import { Mark, type MarkName } from '../../parts/Mark';
import { Empty, Failing, Loading } from '../../parts/States';
import { When } from '../../parts/When';

const COLUMNS: [MarkName, keyof Run['counts']][] = [
  ['created', 'created'],
  ['updated', 'updated'],
  ['linked', 'linked'],
  ['inConflict', 'inConflict'],
  ['held', 'held'],
  ['refused', 'refused'],
];

export function Runs() {
  const runs = useRuns();
  return (
    <div className="mx-auto max-w-[1300px] px-5 py-4">
      <h1 className="mb-2 text-lg font-semibold">Runs</h1>
      {runs.isPending && <Loading what="the runs" />}
      {runs.isError && <Failing error={runs.error} retry={() => void runs.refetch()} />}
      {runs.data?.length === 0 && <Empty title="No run yet.">Open a mirror and choose Run now.</Empty>}
      {runs.data && runs.data.length > 0 && (
        <table className="w-full border-b border-rule">
          <thead className="border-t border-rule text-left text-sm text-soft">
            <tr className="[&>th]:px-2 [&>th]:py-1.5 [&>th]:font-semibold">
              <th>Run</th>
              <th>State</th>
              <th>Begun</th>
              <th>By</th>
              {COLUMNS.map(([mark]) => (
                <th key={mark} className="text-right">
                  <Mark of={mark} word />
                </th>
              ))}
              <th className="text-right">Written</th>
            </tr>
          </thead>
          <tbody className="bg-sheet">
            {runs.data.map((r) => (
              <tr key={r.id} className="border-t border-rule [&>td]:px-2 [&>td]:py-[7px]">
                <td>
                  <Link to={`/runs/${r.id}`} className="font-semibold hover:underline">
                    {r.mirrorName} {r.id}
                  </Link>{' '}
                  {r.rehearsal && <span className="text-soft">rehearsal</span>}
                </td>
                <td>
                  <RunState run={r} />
                </td>
                <td className="text-soft">
                  <When at={r.startedAt} />
                </td>
                <td className="text-soft">{r.startedBy}</td>
                {COLUMNS.map(([mark, key]) => (
                  <td key={mark} className={`text-right ${r.counts[key] === 0 ? 'text-soft' : ''}`}>
                    {r.counts[key].toLocaleString()}
                  </td>
                ))}
                <td className="text-right font-semibold">
                  {r.rehearsal ? (
                    <span className="font-normal text-soft">would: {r.counts.planned.toLocaleString()}</span>
                  ) : (
                    r.counts.written.toLocaleString()
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

export function RunState({ run }: { run: Run }) {
  if (run.state === 'running')
    return (
      <span className="flex items-center gap-2 text-action">
        {run.stage ?? 'starting'} <Progress run={run} />
      </span>
    );
  return (
    <span
      className={
        run.state === 'failed'
          ? 'font-semibold text-refused'
          : run.state === 'stopped' || (run.state === 'paused' && !run.guardAnswer)
            ? 'text-held'
            : ''
      }
    >
      {run.state === 'paused' ? 'paused by a guard' : run.state}
      {run.undoneBy && <span className="text-held">, taken back</span>}
    </span>
  );
}
