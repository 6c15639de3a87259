import { useState } from 'react';
import type { CellForm, DraftPage, FieldForm } from '../../../api/client';
import { useCatalogue, useDraft, useSaveDraft } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { Notice } from '../../../parts/States';
import { SystemTile } from '../../../parts/SystemTile';
import { CellConversion } from './CellConversion';
import { cellAt, FLOWS, flowWords, TYPES, withCell, withField, type OpenCell } from './edits';

/** Beside the bench: the cell or field that is open, or else what the mirror does in plain words. */
export function BenchPanel({
  mirrorKey,
  at,
  open,
  close,
}: {
  mirrorKey: string;
  at: number;
  open: OpenCell | null;
  close: () => void;
}) {
  const draft = useDraft(mirrorKey, at);
  const save = useSaveDraft(mirrorKey);
  const page = draft.data;
  const index = page?.fields.findIndex((f) => f.name === open?.field) ?? -1;
  const field = page?.fields[index];
  const edit = (what: string, fields: FieldForm[]) => page && save.mutate({ step: page.step, what, fields });
  return (
    <aside
      aria-label={field ? `Details of ${field.name}` : 'In plain words'}
      className="w-[350px] shrink-0 overflow-auto border-l border-rule bg-sheet px-4 py-3"
    >
      {save.isError && <Notice>{save.error.message}</Notice>}
      {page && field && open ? (
        <>
          <button type="button" aria-label="Close" onClick={close} className="float-right min-h-6 min-w-6 text-soft">
            ×
          </button>
          {open.side === null ? (
            <AgreedField key={field.name} field={field} fields={page.fields} edit={edit} close={close} />
          ) : (
            <Cell
              key={`${field.name}.${open.side}`}
              mirrorKey={mirrorKey}
              page={page}
              field={field}
              side={open.side}
              edit={edit}
            />
          )}
          <h3 className="mt-4 text-sm font-semibold text-soft">In plain words</h3>
          <p className="mt-1 bg-ground px-2.5 py-2">{page.inPlainWords[index]}</p>
          <ul className="mt-2">
            {page.findings
              .filter((f) => f.field === index)
              .map((f) => (
                <li
                  key={f.words}
                  className={`mt-1 border-l-4 px-2 py-1 ${f.isWrong ? 'border-refused' : 'border-held bg-held-tint'}`}
                >
                  <span aria-hidden="true">{f.isWrong ? '× ' : '△ '}</span>
                  {f.words}
                </li>
              ))}
          </ul>
        </>
      ) : (
        <>
          <h2 className="font-semibold">In plain words</h2>
          <p className="mt-1 text-sm text-soft">Open a field or a cell to change it.</p>
          <dl className="mt-2">
            {page?.fields.map((f, i) => (
              <div key={f.name} className="border-t border-rule py-2">
                <dt className="text-sm font-semibold text-soft">{f.name}</dt>
                <dd>{page.inPlainWords[i]}</dd>
              </div>
            ))}
          </dl>
        </>
      )}
    </aside>
  );
}

type Edit = (what: string, fields: FieldForm[]) => void;

const INPUT = 'h-[30px] w-full rounded border border-rule bg-sheet px-2';

/** The agreed field: its name, type, group and place. */
function AgreedField({
  field,
  fields,
  edit,
  close,
}: {
  field: FieldForm;
  fields: FieldForm[];
  edit: Edit;
  close: () => void;
}) {
  const [name, setName] = useState(field.name);
  const set = (what: string, change: Partial<FieldForm>) =>
    edit(
      what,
      withField(fields, field.name, (f) => ({ ...f, ...change })),
    );
  const place = fields.findIndex((f) => f.name === field.name);
  const shift = (by: number) => {
    const next = [...fields];
    next.splice(place + by, 0, ...next.splice(place, 1));
    edit(`Move ${field.name}`, next);
  };
  return (
    <div className="space-y-3">
      <h2 className="font-semibold">{field.name}</h2>
      <label className="block">
        <span className="mb-1 block text-sm font-semibold text-soft">Name</span>
        <input
          className={INPUT}
          value={name}
          maxLength={80}
          onChange={(e) => setName(e.target.value)}
          onBlur={() => {
            if (name.trim() && name.trim() !== field.name) {
              set(`Call ${field.name} ${name.trim()}`, { name: name.trim() });
              close();
            }
          }}
        />
      </label>
      <label className="block">
        <span className="mb-1 block text-sm font-semibold text-soft">Holds</span>
        <select
          className={INPUT}
          value={field.type}
          onChange={(e) => set(`${field.name} holds ${TYPES[e.target.value]}`, { type: e.target.value })}
        >
          {Object.entries(TYPES).map(([id, words]) => (
            <option key={id} value={id}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <label className="flex items-start gap-2">
        <input
          type="checkbox"
          className="mt-1 accent-action"
          checked={field.emptyTravels}
          onChange={(e) => set(`Emptying ${field.name}`, { emptyTravels: e.target.checked })}
        />
        Emptying it on one side empties it elsewhere
      </label>
      <div className="flex flex-wrap gap-2">
        <Button disabled={place === 0} onClick={() => shift(-1)}>
          Up
        </Button>
        <Button disabled={place === fields.length - 1} onClick={() => shift(1)}>
          Down
        </Button>
        <Button
          onClick={() => {
            edit(
              `Take ${field.name} away`,
              fields.filter((f) => f.name !== field.name),
            );
            close();
          }}
        >
          Take away
        </Button>
      </div>
    </div>
  );
}

/** One side's field: which it is, which way values go, and how they are converted. */
function Cell({
  mirrorKey,
  page,
  field,
  side,
  edit,
}: {
  mirrorKey: string;
  page: DraftPage;
  field: FieldForm;
  side: number;
  edit: Edit;
}) {
  const of = page.sides[side]!;
  const catalogue = useCatalogue(of.system);
  const known = catalogue.data?.find((c) => c.name === of.collection)?.fields ?? [];
  const cell = field.cells[side] ?? null;
  const [path, setPath] = useState(cell?.path ?? '');
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
          {described.type}
          {described.maxLength ? `, up to ${described.maxLength}` : ''}
          {described.required ? ' · required' : ''}
          {described.readOnly ? ' · only read' : ''}
          {described.seen > 0 && ` · ${Math.round((described.filled / described.seen) * 100)} % filled`}
        </p>
      )}
      <label className="block">
        <span className="mb-1 block text-sm font-semibold text-soft">Field of {of.name}</span>
        <input
          className={INPUT}
          list="known-fields"
          value={path}
          placeholder={`Find among ${known.length} fields`}
          onChange={(e) => {
            setPath(e.target.value);
            if (known.some((f) => f.path === e.target.value) && e.target.value !== cell?.path)
              set(
                `Map ${field.name} to ${e.target.value}`,
                cell ? { ...cell, path: e.target.value } : cellAt(e.target.value),
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
      </label>
      {cell && (
        <>
          <div className="flex items-center gap-2">
            <select
              aria-label="Which way values go"
              className={INPUT}
              value={flowWords(cell)}
              onChange={(e) => {
                const next = {
                  ...cell,
                  gives: e.target.value.includes('gives'),
                  takes: e.target.value.includes('takes'),
                };
                if (e.target.value === FLOWS[3]) next.gives = next.takes = false;
                set(`${of.name} ${flowWords(next)} ${field.name}`, next);
              }}
            >
              {FLOWS.map((words) => (
                <option key={words}>{words}</option>
              ))}
            </select>
            <Button onClick={() => set(`Take ${field.name} from ${of.name}`, null)}>Not kept here</Button>
          </div>
          <CellConversion
            mirrorKey={mirrorKey}
            side={side}
            sideName={of.name}
            field={field}
            cell={cell}
            keep={(what, next) => set(what, next)}
          />
        </>
      )}
    </div>
  );
}
