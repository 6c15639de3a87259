import { useState } from 'react';
import type { CellForm, DraftPage, FieldForm } from '../../../api/client';
import { useCatalogue } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { SystemTile } from '../../../parts/SystemTile';
import { CellConversion } from './CellConversion';
import { cellAt, FLOWS, flowWords, withCell, type Edit } from './edits';
import { INPUT, Captioned, Tick } from '../../../parts/inputs';

/** One side's field: which it is, which way values go, how they are converted, and what stands for an empty one. */
export function CellPanel({
  mirrorKey,
  page,
  field,
  side,
  edit,
  within,
}: {
  mirrorKey: string;
  page: DraftPage;
  field: FieldForm;
  side: number;
  edit: Edit;
  /** For a field of lines: where the side keeps the lines. */
  within?: string;
}) {
  const of = page.sides[side]!;
  const catalogue = useCatalogue(of.system);
  const all = catalogue.data?.find((c) => c.name === of.collection)?.fields ?? [];
  const inLines = `${within}[].`;
  const known =
    within === undefined
      ? all.filter((f) => !f.path.includes('[].'))
      : all.filter((f) => f.path.startsWith(inLines)).map((f) => ({ ...f, path: f.path.slice(inLines.length) }));
  const cell = field.cells[side] ?? null;
  const [path, setPath] = useState(cell?.path ?? '');
  const [fallback, setFallback] = useState(cell?.default ?? '');
  const described = known.find((f) => f.path === cell?.path);
  const set = (what: string, next: CellForm | null) => edit(what, withCell(page.fields, field.name, side, next));
  const taken = new Map(page.fields.flatMap((f) => (f.cells[side] ? [[f.cells[side].path, f.name] as const] : [])));
  return (
    <div className="space-y-3">
      <h2 className="flex items-center gap-2 font-semibold">
        <SystemTile of={of} />{' '}
        <span className="min-w-0 break-words">{cell?.path ?? `${field.name} in ${of.name}`}</span>
      </h2>
      {described && (
        <p className="text-sm text-soft">
          {described.label && `“${described.label}” · `}
          {described.type}
          {described.maxLength ? `, up to ${described.maxLength}` : ''}
          {described.required ? ' · required' : ''}
          {described.readOnly ? ' · only read' : ''}
          {described.seen > 0 && ` · ${Math.round((described.filled / described.seen) * 100)} % filled`}
        </p>
      )}
      <Captioned label={`Field of ${of.name}`}>
        <input
          className={INPUT}
          list="known-fields"
          value={path}
          disabled={catalogue.isPending}
          placeholder={catalogue.isPending ? 'Reading the fields…' : `Find among ${known.length} fields`}
          onChange={(e) => {
            setPath(e.target.value);
            const found = known.find((f) => f.path === e.target.value);
            if (found && e.target.value !== cell?.path)
              set(
                `Map ${field.name} to ${e.target.value}`,
                cell ? { ...cell, path: e.target.value } : cellAt(e.target.value, found.readOnly),
              );
          }}
        />
        <datalist id="known-fields">
          {known.map((f) => (
            <option key={f.path} value={f.path}>
              {taken.has(f.path) ? `mapped as ${taken.get(f.path)}` : (f.samples[0] ?? '')}
            </option>
          ))}
        </datalist>
      </Captioned>
      {cell && (
        <>
          <div className="flex items-center gap-2">
            <select
              aria-label="Which way values go"
              className={INPUT}
              value={flowWords(cell)}
              onChange={(e) => {
                const way = FLOWS.indexOf(e.target.value as (typeof FLOWS)[number]);
                const next = { ...cell, gives: way === 0 || way === 1, takes: way === 0 || way === 2 };
                set(`${of.name} ${flowWords(next)} ${field.name}`, next);
              }}
            >
              {FLOWS.map((words) => (
                <option key={words}>{words}</option>
              ))}
            </select>
            <Button onClick={() => set(`Take ${field.name} from ${of.name}`, null)}>Not kept here</Button>
          </div>
          {cell.gives && within === undefined && (
            <Tick
              on={cell.onlyAtFirst}
              set={(on) =>
                set(`${of.name} ${on ? 'only fills in' : 'gives'} ${field.name}`, { ...cell, onlyAtFirst: on })
              }
            >
              Only fills it in while it is empty: a change in {of.name} changes no record that is there
            </Tick>
          )}
          <CellConversion
            mirrorKey={mirrorKey}
            page={page}
            side={side}
            field={field}
            cell={cell}
            inLines={within !== undefined}
            keep={(what, next) => set(what, next)}
          />
          {cell.takes && (
            <Captioned label={`Where it is empty, ${of.name} is told`}>
              <input
                className={INPUT}
                placeholder="nothing"
                value={fallback}
                onChange={(e) => setFallback(e.target.value)}
                onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
                onBlur={() =>
                  fallback.trim() !== (cell.default ?? '') &&
                  set(`Where ${field.name} is empty, tell ${of.name} ${fallback.trim() || 'nothing'}`, {
                    ...cell,
                    default: fallback.trim() || null,
                  })
                }
              />
            </Captioned>
          )}
        </>
      )}
    </div>
  );
}
