import { useState } from 'react';

/** What becomes of a run when records can't be taken. */
export function Trouble({ after, keep }: { after: number | null; keep: (what: string, after: number | null) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const way = after === null ? 'on' : after === 1 ? 'first' : 'after';
  const leave = () => {
    const n = Number(typed);
    if (typed !== null && Number.isInteger(n) && n >= 2 && n <= 100_000 && n !== after)
      keep(`stops after ${n} records that can't be taken`, n);
    setTyped(null);
  };
  const choice = (value: string, words: React.ReactNode, choose: () => void) => (
    <label className="flex items-center gap-2 py-0.5">
      <input type="radio" name="trouble" className="accent-action" checked={way === value} onChange={choose} />
      <span className="flex items-center gap-2">{words}</span>
    </label>
  );
  return (
    <section aria-label="Records that can't be taken" className="mt-5">
      <h2 className="mb-1 font-semibold">When a record can’t be taken</h2>
      <div className="border-y border-rule bg-sheet px-4 py-2">
        {choice('on', 'Set it aside and go on with the others', () =>
          keep("goes on when records can't be taken", null),
        )}
        {choice('first', 'Stop the run at the first', () => keep("stops at the first record that can't be taken", 1))}
        {choice(
          'after',
          <>
            Stop the run after
            <input
              aria-label="Records after which a run stops"
              inputMode="numeric"
              className="h-7 w-20 rounded border border-rule bg-sheet px-2 text-right"
              value={typed ?? (way === 'after' ? String(after) : '20')}
              onChange={(e) => setTyped(e.target.value.replace(/\D/g, '').slice(0, 6))}
              onBlur={leave}
              onKeyDown={(e) => e.key === 'Enter' && leave()}
            />
            of them
          </>,
          () => keep("stops after 20 records that can't be taken", 20),
        )}
      </div>
    </section>
  );
}
