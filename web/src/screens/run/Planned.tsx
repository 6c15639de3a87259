import { useState } from 'react';
import type { RehearsedHeld, Side } from '../../api/client';
import { Link } from 'react-router';
import { usePlanned, type PlannedOnly } from '../../api/queries';
import { Mark } from '../../parts/Mark';
import { Empty, Failing, Loading } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';

/** The writes of a run, one line each: what a rehearsal would have written, or what a paused run waits to. */
export function Planned({ run, title }: { run: number; title: string }) {
  const [only, setOnly] = useState<PlannedOnly>({});
  const [typed, setTyped] = useState('');
  const planned = usePlanned(run, only);
  if (planned.isPending) return <Loading what="what it would write" />;
  if (planned.isError) return <Failing error={planned.error} retry={() => void planned.refetch()} />;
  const { writes, sides, total, counts, held } = planned.data;
  const all = counts.reduce((sum, c) => sum + c.count, 0);
  const query = new URLSearchParams(
    Object.entries(only).flatMap(([k, v]) => (v === undefined || v === '' ? [] : [[k, String(v)]])),
  ).toString();
  return (
    <>
      {held.length > 0 && <WouldHold held={held} sides={sides} />}
      <h2 className="mt-5 border-b border-rule py-1.5 font-semibold">
        {title} <span className="font-normal text-soft">{all.toLocaleString()}</span>
      </h2>
      {all > 0 && (
        <div role="group" aria-label="Show" className="flex flex-wrap items-center gap-1.5 py-2">
          <Chip on={!only.kind} set={() => setOnly({ text: only.text })}>
            All {all.toLocaleString()}
          </Chip>
          {counts.map((c) => (
            <Chip
              key={`${c.kind} ${c.side}`}
              on={only.kind === c.kind && only.side === c.side}
              set={() => setOnly({ kind: c.kind, side: c.side, text: only.text })}
            >
              <Kind of={c.kind} /> in {sides[c.side]!.name} {c.count.toLocaleString()}
            </Chip>
          ))}
          <input
            type="search"
            aria-label="Find a record or a value"
            placeholder="Find a record or a value"
            maxLength={200}
            className="ml-auto h-7 w-56 rounded border border-rule bg-sheet px-2.5"
            value={typed}
            onChange={(e) => {
              setTyped(e.target.value);
              setOnly({ ...only, text: e.target.value || undefined });
            }}
          />
          <a className="text-action underline" href={`/api/runs/${run}/planned.csv?${query}`} download>
            CSV
          </a>
        </div>
      )}
      {total === 0 && <Empty title={all > 0 ? 'None fits.' : 'Nothing.'} />}
      <ul className="bg-sheet">
        {writes.map((w, n) => (
          <li
            key={n}
            className="grid grid-cols-[110px_24px_260px_minmax(0,1fr)] items-baseline gap-2 border-b border-rule px-2 py-[7px]"
          >
            <Kind of={w.kind} />
            <SystemTile of={sides[w.side]!} />
            {w.link ? (
              <Link to={`/records/${w.link}`} className="truncate font-semibold hover:underline" title={w.title}>
                {w.title}
              </Link>
            ) : (
              <span className="truncate font-semibold" title={w.title}>
                {w.title}
              </span>
            )}
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
      {total > writes.length && (
        <p className="mt-2 text-soft">
          The first {writes.length} of {total.toLocaleString()} are shown.
        </p>
      )}
    </>
  );
}

/** What a run would set aside, by what for: seen before it happens, one fix frees many. */
function WouldHold({ held, sides }: { held: RehearsedHeld[]; sides: Side[] }) {
  const all = held.reduce((sum, h) => sum + h.records, 0);
  return (
    <section aria-label="What a run would hold">
      <h2 className="mt-5 border-b border-rule py-1.5 font-semibold">
        <Mark of="held" /> What a run would hold{' '}
        <span className="font-normal text-soft">
          {all.toLocaleString()} {all === 1 ? 'record' : 'records'}, for {held.length}{' '}
          {held.length === 1 ? 'reason' : 'reasons'}
        </span>
      </h2>
      <ul className="bg-sheet">
        {held.map((h) => (
          <li
            key={`${h.side} ${h.field ?? ''} ${h.pattern}`}
            className="grid grid-cols-[24px_minmax(0,1fr)_64px] items-start gap-2 border-b border-rule px-2 py-2"
          >
            <SystemTile of={sides[h.side]!} />
            <details>
              <summary className="cursor-pointer font-semibold break-words">{h.pattern}</summary>
              <ul className="mt-1 text-soft">
                {h.examples.map((e) => (
                  <li key={e.title + e.reason} className="break-words">
                    {e.title}: {e.reason}
                  </li>
                ))}
              </ul>
            </details>
            <span className="text-right font-semibold tabular-nums">{h.records.toLocaleString()}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Kind({ of }: { of: string }) {
  return of === 'remove' ? (
    <span className="font-semibold text-refused">− removed</span>
  ) : (
    <Mark of={of === 'create' ? 'created' : 'updated'} word />
  );
}

function Chip({ on, set, children }: { on: boolean; set: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={set}
      className="flex h-7 items-center gap-1.5 rounded border border-transparent px-2 hover:bg-sheet aria-pressed:border-rule aria-pressed:bg-sheet aria-pressed:font-semibold"
    >
      {children}
    </button>
  );
}
