import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { CollectionOfSystem, FieldOfSystem } from '../../api/client';
import { useCatalogue } from '../../api/queries';
import { Empty, Failing, Loading } from '../../parts/States';

const ONLY: [string, string, (f: FieldOfSystem) => boolean][] = [
  ['all', 'all', () => true],
  ['required', 'required', (f) => f.required && !f.readOnly],
  ['custom', 'custom', (f) => f.isCustom],
  ['mapped', 'mapped', (f) => f.usedBy.length > 0],
  ['filled', 'not empty', (f) => f.filled > 0],
];

const GRID =
  'grid grid-cols-[minmax(0,2.7fr)_minmax(0,1.3fr)_60px_56px_minmax(0,2.6fr)_minmax(0,1.6fr)] items-baseline gap-3 px-3';

/** What a system holds: its collections, and every field with how full it is and what it really says. */
export function Catalogue({ systemKey, version }: { systemKey: string; version: number }) {
  const catalogue = useCatalogue(systemKey);
  const [query, setQuery] = useSearchParams();
  const [text, setText] = useState(query.get('field') ?? '');
  const only = query.get('only') ?? 'all';
  const collections = catalogue.data ?? [];
  const chosen = collections.find((c) => c.name === query.get('collection')) ?? mostLookedFor(collections);
  const words = text.toLowerCase().split(' ').filter(Boolean);
  const fits = ONLY.find((o) => o[0] === only)?.[2] ?? (() => true);
  const fields = useMemo(
    () =>
      (chosen?.fields ?? []).filter(
        (f) => fits(f) && words.every((w) => `${f.path} ${f.label ?? ''} ${f.type}`.toLowerCase().includes(w)),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [chosen, text, only],
  );
  const set = (name: string, value: string | null) => {
    const next = new URLSearchParams(query);
    if (value === null) next.delete(name);
    else next.set(name, value);
    if (name === 'collection') next.delete('field');
    setQuery(next, { replace: true });
  };
  if (catalogue.isPending) return <Loading what="the catalogue" />;
  if (catalogue.isError) return <Failing error={catalogue.error} retry={() => void catalogue.refetch()} />;
  if (!chosen) return <Empty title="It describes no collection.">Version {version} of its catalogue is empty.</Empty>;
  return (
    <div className="grid grid-cols-[190px_minmax(0,1fr)] gap-5">
      <nav aria-label="Collections">
        <ul className="border-t border-rule bg-sheet">
          {collections.map((c) => (
            <li key={c.name} className="border-b border-rule">
              <button
                type="button"
                aria-current={c === chosen ? 'true' : undefined}
                onClick={() => {
                  setText('');
                  set('collection', c.name);
                }}
                className={`flex w-full justify-between gap-2 px-2.5 py-2 text-left ${c === chosen ? 'border-l-2 border-action font-semibold' : 'hover:bg-ground'}`}
              >
                <span className="truncate">{c.name}</span>
                <span className="text-soft">{c.fields.length}</span>
              </button>
            </li>
          ))}
        </ul>
      </nav>
      <section aria-label={`Fields of ${chosen.name}`} className="min-w-0">
        <div className="mb-2 flex items-center gap-3">
          <input
            type="search"
            aria-label={`Find a field of ${chosen.name}`}
            placeholder="Find a field"
            value={text}
            onChange={(e) => setText(e.target.value)}
            className="h-[30px] w-64 rounded border border-rule bg-sheet px-2.5 placeholder:text-soft"
          />
          <div role="group" aria-label="Show only" className="flex gap-1">
            {ONLY.map(([key, name, test]) => (
              <button
                key={key}
                type="button"
                aria-pressed={only === key}
                onClick={() => set('only', key === 'all' ? null : key)}
                className={`rounded border px-2 py-1 text-sm ${only === key ? 'border-action font-semibold' : 'border-rule text-soft hover:text-ink'}`}
              >
                {name} {chosen.fields.filter(test).length}
              </button>
            ))}
          </div>
          <span className="ml-auto text-sm text-soft">
            {chosen.lookedAt ? `over ${chosen.records.toLocaleString()} records` : 'its records could not be read'}
          </span>
        </div>
        <div role="table" aria-label={chosen.name} aria-rowcount={fields.length}>
          <div role="row" className={`${GRID} border-y border-rule py-1.5 text-sm font-semibold text-soft`}>
            <span role="columnheader">Field</span>
            <span role="columnheader">Type</span>
            <span role="columnheader" className="text-right">
              Filled
            </span>
            <span role="columnheader" className="text-right">
              Values
            </span>
            <span role="columnheader">For example</span>
            <span role="columnheader">Mapped in</span>
          </div>
          <Rows fields={fields} />
        </div>
        {fields.length === 0 && (
          <p className="border-b border-rule bg-sheet px-3 py-4 text-soft">
            No field fits. Try another word, or show all.
          </p>
        )}
      </section>
    </div>
  );
}

function Rows({ fields }: { fields: FieldOfSystem[] }) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: fields.length,
    getScrollElement: () => box.current,
    estimateSize: () => 34,
    overscan: 12,
  });
  return (
    <div
      ref={box}
      className="max-h-[calc(100vh-310px)] min-h-40 overflow-auto bg-sheet"
      tabIndex={0}
      role="rowgroup"
      aria-label="Fields"
    >
      <div style={{ height: rows.getTotalSize() }} className="relative">
        {rows.getVirtualItems().map((v) => {
          const f = fields[v.index]!;
          return (
            <div
              key={f.path}
              role="row"
              aria-rowindex={v.index + 1}
              className={`${GRID} absolute inset-x-0 h-[34px] border-b border-rule py-1.5`}
              style={{ transform: `translateY(${v.start}px)` }}
            >
              <span role="cell" className="truncate" title={f.path}>
                <span className="font-semibold">{f.path}</span>
                <span className="ml-2 text-sm text-soft">
                  {[f.label, f.required && 'required', f.readOnly && 'read-only', f.isCustom && 'custom']
                    .filter(Boolean)
                    .join(' · ')}
                </span>
              </span>
              <span role="cell" className="truncate text-soft" title={f.allowed.join(', ')}>
                {f.type}
                {f.maxLength !== null && ` ≤ ${f.maxLength}`}
              </span>
              <span role="cell" className="text-right">
                {f.seen === 0 ? '–' : `${Math.round((100 * f.filled) / f.seen)} %`}
              </span>
              <span role="cell" className="text-right text-soft">
                {f.distinct >= 1000 ? '1,000+' : f.distinct > 0 ? f.distinct : ''}
              </span>
              <span role="cell" className="truncate" title={f.samples.join('\n')}>
                {f.samples.slice(0, 4).join(' · ')}
              </span>
              <span role="cell" className="truncate">
                {f.usedBy.map((u) => (
                  <Link
                    key={u.mirrorKey + u.agreedField}
                    to={`/mirrors/${u.mirrorKey}/fields`}
                    className="hover:underline"
                  >
                    {u.mirror} · {u.agreedField}
                  </Link>
                ))}
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** What somebody who opens a catalogue most likely came for: what is mapped most, otherwise what holds most. */
export const mostLookedFor = (collections: CollectionOfSystem[]) => {
  const weight = (c: CollectionOfSystem) =>
    c.fields.filter((f) => f.usedBy.length > 0).length * 1e9 + (c.name.endsWith(']') ? 0 : c.records);
  return collections.reduce<CollectionOfSystem | undefined>(
    (best, c) => (best && weight(best) >= weight(c) ? best : c),
    undefined,
  );
};
