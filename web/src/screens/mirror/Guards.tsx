import { useState } from 'react';
import type { Guards as GuardsOf } from '../../api/client';
import { useGuards } from '../../api/queries';
import { Notice } from '../../parts/States';

const KINDS = [
  ['creations', 'Creates', 'records, and', { number: 200, share: 0.3 }],
  ['changes', 'Changes', 'records, and', { number: 200, share: 0.3 }],
  ['removals', 'Removes, or finds gone,', 'records, and', { number: 10, share: 0.05 }],
  ['emptiedFields', 'Empties', 'fields, and', { number: 50, share: 0.05 }],
] as const;

/** What pauses a run before it writes. Leaving a field saves it. */
export function Guards({ mirror, guards, mayChange }: { mirror: string; guards: GuardsOf; mayChange: boolean }) {
  const save = useGuards(mirror);
  return (
    <section aria-label="Guards" className="mt-6 max-w-[770px]">
      <h2 className="mb-1 font-semibold">Guards</h2>
      <p className="mb-2 text-soft">
        A run that goes beyond both limits of a line pauses before it writes anything, shows what it would do, and waits
        for you. A first load is meant to write much: only removals pause it.
      </p>
      <ul className="border-y border-rule bg-sheet px-4 py-2 [&>li]:border-rule [&>li+li]:border-t">
        {KINDS.map(([key, does, things, usual]) => (
          <Line
            key={key}
            does={does}
            things={things}
            limit={guards[key] ?? null}
            usual={usual}
            mayChange={mayChange}
            keep={(limit) => save.mutate({ ...guards, [key]: limit })}
          />
        ))}
      </ul>
      {save.isError && (
        <div className="mt-2">
          <Notice>{save.error.message}</Notice>
        </div>
      )}
    </section>
  );
}

type Limit = { number: number; share: number };

function Line(props: {
  does: string;
  things: string;
  limit: Limit | null;
  usual: Limit;
  mayChange: boolean;
  keep: (limit: Limit | null) => void;
}) {
  const { does, things, limit, usual, mayChange, keep } = props;
  const shown = limit ?? usual;
  const [number, setNumber] = useState(String(shown.number));
  const [percent, setPercent] = useState(String(Math.round(shown.share * 1000) / 10));
  const wanted = { number: Number(number), share: Number(percent) / 100 };
  const fits =
    number.trim() !== '' &&
    percent.trim() !== '' &&
    Number.isInteger(wanted.number) &&
    wanted.number >= 0 &&
    wanted.share >= 0 &&
    wanted.share <= 1;
  const leave = () => {
    if (fits && (wanted.number !== shown.number || Math.abs(wanted.share - shown.share) > 1e-9)) keep(wanted);
  };
  const field = 'h-7 w-full rounded border border-rule bg-sheet px-2 text-right disabled:opacity-50';
  return (
    <li className="grid grid-cols-[265px_64px_90px_52px_1fr] items-center gap-x-2 py-1.5">
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-action"
          checked={limit !== null}
          disabled={!mayChange}
          onChange={(e) => keep(e.target.checked ? (fits ? wanted : usual) : null)}
        />
        {does} more than
      </label>
      <input
        inputMode="numeric"
        aria-label={`${does} more than: number`}
        aria-invalid={!fits}
        disabled={!mayChange || limit === null}
        value={number}
        onChange={(e) => setNumber(e.target.value)}
        onBlur={leave}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        className={field}
      />
      <span>{things}</span>
      <input
        inputMode="decimal"
        aria-label={`${does} more than: percent`}
        aria-invalid={!fits}
        disabled={!mayChange || limit === null}
        value={percent}
        onChange={(e) => setPercent(e.target.value)}
        onBlur={leave}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        className={field}
      />
      <span>% of a system’s records</span>
      {!fits && <span className="col-span-5 text-refused">Give a whole number from 0, and 0 to 100 %.</span>}
    </li>
  );
}
