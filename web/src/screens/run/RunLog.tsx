import { useState } from 'react';
import type { Run } from '../../api/client';
import { useRunLog } from '../../api/queries';
import { Tick } from '../../parts/inputs';
import { Empty, Failing, Loading } from '../../parts/States';
import { spent } from './spent';

const LEVELS: Record<string, [string, string, string]> = {
  info: ['', '', ''],
  warning: ['‖', 'warning', 'text-held'],
  error: ['×', 'error', 'text-refused'],
};

/** What a run told as it went, and where its time went. */
export function RunLog({ run }: { run: Run }) {
  const [warnings, setWarnings] = useState(false);
  const log = useRunLog(run.id, warnings);
  if (log.isPending) return <Loading what="what the run told" />;
  if (log.isError) return <Failing error={log.error} retry={() => void log.refetch()} />;
  const { lines, stages, calls, days } = log.data;
  return (
    <div className="mt-3 grid grid-cols-[minmax(0,1fr)_400px] items-start gap-8">
      <section aria-label="Log" className="min-w-0">
        <div className="mb-2">
          <Tick on={warnings} set={setWarnings}>
            Only warnings and errors
          </Tick>
        </div>
        {lines.length === 0 ? (
          <Empty title={warnings ? 'No warning, and no error.' : 'Nothing is kept of what it told.'}>
            {!warnings &&
              (run.state === 'running'
                ? 'Lines appear here as it goes.'
                : `What runs tell is kept for ${days} days; what they did, for good.`)}
          </Empty>
        ) : (
          <ol className="border-y border-rule bg-sheet py-1">
            {lines.map((l) => {
              const [sign, word, colour] = LEVELS[l.level] ?? LEVELS.info!;
              return (
                <li key={l.n} className="grid grid-cols-[72px_16px_minmax(0,1fr)] px-2 py-0.5">
                  <time dateTime={l.at} className="text-soft">
                    {new Date(l.at).toLocaleTimeString(undefined, { hour12: false })}
                  </time>
                  <span className={`font-semibold ${colour}`}>
                    <span aria-hidden="true">{sign}</span>
                    <span className="sr-only">{word}</span>
                  </span>
                  <span className="break-words">{l.text}</span>
                </li>
              );
            })}
          </ol>
        )}
      </section>
      <section aria-label="Where its time went">
        <h2 className="mb-2 font-semibold">Where its time went</h2>
        {stages.length === 0 ? (
          <p className="text-soft">Nothing is known of it{run.state === 'running' ? ' yet' : ''}.</p>
        ) : (
          <>
            <Stages stages={stages} />
            {calls.length > 0 && (
              <table className="mt-5 w-full border-y border-rule bg-sheet">
                <thead className="text-left text-sm text-soft">
                  <tr className="border-b border-rule [&>th]:px-2 [&>th]:py-1 [&>th]:font-semibold">
                    <th>Calls to systems</th>
                    <th className="text-right">Calls</th>
                    <th className="text-right">Slowest</th>
                    <th className="text-right">Together</th>
                  </tr>
                </thead>
                <tbody>
                  {calls.map((c) => (
                    <tr
                      key={`${c.system} ${c.what}`}
                      className="border-b border-rule align-baseline last:border-b-0 [&>td]:px-2 [&>td]:py-1"
                    >
                      <td>
                        {c.system}, <span className="text-soft">{c.what}</span>
                      </td>
                      <td className="text-right">
                        {c.calls.toLocaleString()}
                        {c.failed > 0 && (
                          <span className="block text-sm whitespace-nowrap text-refused">
                            × {c.failed.toLocaleString()} not well
                          </span>
                        )}
                      </td>
                      <td className="text-right whitespace-nowrap">{spent(c.slowestMilliseconds)}</td>
                      <td className="text-right whitespace-nowrap">{spent(c.milliseconds)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
            <p className="mt-2 text-sm text-soft">
              Each call’s wait for its turn within the system’s limits is in it. Calls that are under way at once count
              each.
            </p>
          </>
        )}
      </section>
    </div>
  );
}

function Stages({ stages }: { stages: { stage: string; milliseconds: number }[] }) {
  const most = Math.max(...stages.map((s) => s.milliseconds));
  return (
    <dl>
      {stages.map((s) => (
        <div key={s.stage} className="grid grid-cols-[96px_minmax(0,1fr)_72px] items-center gap-2 py-0.5">
          <dt className="text-soft">{s.stage}</dt>
          <dd aria-hidden="true">
            <span className="block h-2 bg-bar" style={{ width: `${(100 * s.milliseconds) / most}%` }} />
          </dd>
          <dd className="text-right">{spent(s.milliseconds)}</dd>
        </div>
      ))}
    </dl>
  );
}
