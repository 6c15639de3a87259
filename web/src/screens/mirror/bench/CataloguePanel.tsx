import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import type { DraftPage, FieldOfSystem } from '../../../api/client';
import { useCatalogue } from '../../../api/queries';
import { Failing, Loading } from '../../../parts/States';
import { SystemTile } from '../../../parts/SystemTile';
import type { DraggedField } from './Bench';
import { mapping, type Edit, type Open } from './edits';
import { INPUT } from '../../../parts/inputs';

/** The fields of a side, to drag onto the bench or to map by a key. */
export function CataloguePanel({
  page,
  side,
  edit,
  choose,
}: {
  page: DraftPage;
  side: number;
  edit: Edit;
  choose: (open: Open) => void;
}) {
  const of = page.sides[side]!;
  const catalogue = useCatalogue(of.system);
  const [text, setText] = useState('');
  const [onlyFree, setOnlyFree] = useState(true);
  const scroller = useRef<HTMLDivElement>(null);
  const taken = new Map(page.fields.flatMap((f) => (f.cells[side] ? [[f.cells[side].path, f.name] as const] : [])));
  for (const c of page.settings.sides[side]!.constants) taken.set(c.path, `“${c.text}”`);
  const all = catalogue.data?.find((c) => c.name === of.collection)?.fields ?? [];
  const words = text.toLowerCase();
  const shown = all
    .filter(
      (f) =>
        !f.path.includes('[].') &&
        (!onlyFree || !taken.has(f.path)) &&
        (words === '' || [f.path, f.label ?? '', ...f.samples].some((w) => w.toLowerCase().includes(words))),
    )
    .sort((a, b) => Number(b.required) - Number(a.required) || b.filled / (b.seen || 1) - a.filled / (a.seen || 1));
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 44,
    overscan: 8,
  });
  const map = (f: FieldOfSystem) => {
    const { fields, name } = mapping(page.fields, page.sides.length, side, f, null);
    edit(`Add ${name}`, fields);
  };
  return (
    <div className="flex h-full flex-col gap-2">
      <h2 className="font-semibold">Fields of the sides</h2>
      <div role="tablist" aria-label="Side" className="flex flex-wrap gap-1">
        {page.sides.map((s) => (
          <button
            key={s.index}
            type="button"
            role="tab"
            aria-selected={s.index === side}
            onClick={() => choose({ kind: 'catalogue', side: s.index })}
            className={`flex items-center gap-1.5 rounded border px-1.5 py-1 ${s.index === side ? 'border-action font-semibold' : 'border-rule'}`}
          >
            <SystemTile of={s} /> {s.name}
          </button>
        ))}
      </div>
      <input
        aria-label={`Find a field of ${of.name}`}
        placeholder="By name, label or value"
        className={INPUT}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <div className="flex items-center justify-between text-sm text-soft">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-action"
            checked={onlyFree}
            onChange={(e) => setOnlyFree(e.target.checked)}
          />
          only those not mapped
        </label>
        {shown.length} of {all.length}
      </div>
      <p className="text-sm text-soft">Drag one onto a row, or map it as a new agreed field.</p>
      {catalogue.isPending && <Loading what={`the fields of ${of.name}`} />}
      {catalogue.isError && <Failing error={catalogue.error} retry={() => void catalogue.refetch()} />}
      <div ref={scroller} className="min-h-0 flex-1 overflow-auto border-y border-rule">
        <ul className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const f = shown[item.index]!;
            const dragged: DraggedField = { side, path: f.path, label: f.label, type: f.type, readOnly: f.readOnly };
            return (
              <li
                key={f.path}
                className="absolute inset-x-0 flex h-11 cursor-grab items-center gap-2 border-b border-rule px-1"
                style={{ transform: `translateY(${item.start}px)` }}
                draggable
                onDragStart={(e) => {
                  e.dataTransfer.setData('text/plain', `field:${JSON.stringify(dragged)}`);
                  e.dataTransfer.effectAllowed = 'move';
                }}
              >
                <span className="min-w-0 flex-1">
                  <span className="block truncate" title={f.label ?? f.path}>
                    {f.path}
                    {f.required && <span className="text-sm text-held"> required</span>}
                    {f.readOnly && <span className="text-sm text-soft"> only read</span>}
                  </span>
                  <span className="block truncate text-sm text-soft">
                    {f.samples.slice(0, 3).join(' · ') || f.type}
                  </span>
                </span>
                {taken.has(f.path) ? (
                  <span className="max-w-24 truncate text-sm text-soft">as {taken.get(f.path)}</span>
                ) : (
                  <button
                    type="button"
                    className="min-h-6 font-semibold text-action hover:underline"
                    aria-label={`Map ${f.path}`}
                    onClick={() => map(f)}
                  >
                    Map
                  </button>
                )}
              </li>
            );
          })}
        </ul>
      </div>
    </div>
  );
}
