import { useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { Link } from 'react-router';
import type { DraftPage, FieldForm, Side, Suggestion } from '../../../api/client';
import { useDraft, useEditDraft, useMoveDraft, useRefuseSuggestion, useSuggestions } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { useKeys } from '../../../parts/keys';
import { Spine, type SpineCell, type SpineRow } from '../../../parts/Spine';
import { Failing, Loading, Notice } from '../../../parts/States';
import {
  flowWords,
  freeName,
  mapping,
  moved,
  newField,
  nextFlow,
  putBefore,
  suggestionsByCell,
  taking,
  TYPES,
  withCell,
  type Edit,
  type Open,
} from './edits';
import { DraftBar } from './DraftBar';
import { Suggestions } from './Suggestions';

/** What is dragged out of a side's catalogue: its side and the field as the catalogue tells it. */
export type DraggedField = { side: number; path: string; label: string | null; type: string; readOnly: boolean };

/** The mapping bench: agreed fields as rows, the sides beside them, edited in a draft that is saved at once. */
export function Bench({
  mirrorKey,
  at,
  find,
  show,
  open,
  choose,
}: {
  mirrorKey: string;
  /** Which of the sample records, from 1, among those that hold a text. */
  at: number;
  find: string;
  show: (n: number, find?: string) => void;
  open: Open | null;
  choose: (open: Open | null) => void;
}) {
  const draft = useDraft(mirrorKey, at, find);
  const suggestions = useSuggestions(mirrorKey, draft.data?.step ?? 0);
  const { edit, error: notKept } = useEditDraft(mirrorKey);
  const move = useMoveDraft(mirrorKey);
  const refuse = useRefuseSuggestion(mirrorKey);
  const [filter, setFilter] = useState<'all' | 'mapped' | 'unmapped' | 'attention'>('all');
  const [text, setText] = useState('');
  const [listed, setListed] = useState<boolean | null>(null);
  const table = useRef<HTMLDivElement>(null);
  const page = draft.data;
  useKeys([
    { key: 'z', does: 'Undo the last edit', act: () => page && page.step > 0 && move.mutate('undo') },
    { key: 'y', does: 'Do it again', act: () => page && page.step < page.last && move.mutate('redo') },
    { key: 'c', does: 'Check the draft', act: () => choose({ kind: 'check' }) },
    { key: 'x', does: 'Try this record', act: () => choose({ kind: 'try' }) },
    { key: 'g', does: 'In a cell: the side gives, or not' },
    { key: 't', does: 'In a cell: the side takes, or not' },
    { key: 'Alt ↑ ↓', does: 'In a cell: move the row' },
    { key: 'Delete', does: 'In a cell: not kept there any more' },
  ]);
  const found = useMemo(() => suggestions.data?.suggestions ?? [], [suggestions.data]);
  const byCell = useMemo(() => suggestionsByCell(found), [found]);
  const troubled = useMemo(
    () =>
      new Map((page?.findings ?? []).filter((f) => f.field !== null && !f.isJudged).map((f) => [f.field!, f.words])),
    [page],
  );
  if (draft.isPending) return <Loading what="the fields" />;
  if (draft.isError) return <Failing error={draft.error} retry={() => void draft.refetch()} />;
  const { sides, fields, settings, sample, samples, agreed } = draft.data;
  const sure = found.filter((s) => s.isSure);
  const shown = fields
    .map((f, index) => ({ f, index }))
    .filter(({ f, index }) => {
      const mapped = f.cells.filter(Boolean).length > 1;
      return (
        (filter === 'all' || (filter === 'attention' ? troubled.has(index) : (filter === 'mapped') === mapped)) &&
        (text === '' ||
          [f.name, ...f.cells.map((c) => c?.path ?? '')].some((w) => w.toLowerCase().includes(text.toLowerCase())))
      );
    });
  const drop = (dragged: string, into: string | null, side?: number) => {
    if (dragged.startsWith('row:')) {
      if (into !== null) edit(`Move ${dragged.slice(4)}`, putBefore(fields, dragged.slice(4), into));
      return;
    }
    if (!dragged.startsWith('field:')) return;
    const field = JSON.parse(dragged.slice(6)) as DraggedField;
    if (side !== undefined && side !== field.side) return;
    const { fields: next, name } = mapping(fields, sides.length, field.side, field, into);
    edit(into === null ? `Add ${name}` : `Map ${into} to ${field.path}`, next);
    choose({ kind: 'field', field: name, side: field.side });
  };
  const hear = (event: KeyboardEvent<HTMLDivElement>) => {
    const place = (event.target as HTMLElement)
      .closest<HTMLElement>('[data-cell]')
      ?.dataset.cell?.split('.')
      .map(Number);
    if (!place || event.ctrlKey || event.metaKey) return;
    const [row, column] = place as [number, number];
    const f = shown[row]?.f;
    const cell = f?.cells[column] ?? null;
    const focus = (r: number, c: number) =>
      table.current?.querySelector<HTMLElement>(`[data-cell="${r}.${c}"]`)?.focus();
    const order = columnsOf(sides.length);
    const step = (by: number) => focus(row, order[order.indexOf(column) + by] ?? column);
    const does: Record<string, () => void> = {
      ArrowDown: () => (event.altKey && f ? edit(`Move ${f.name}`, moved(fields, f.name, 1)) : focus(row + 1, column)),
      ArrowUp: () => (event.altKey && f ? edit(`Move ${f.name}`, moved(fields, f.name, -1)) : focus(row - 1, column)),
      ArrowLeft: () => step(-1),
      ArrowRight: () => step(1),
      g: () => f && cell && turn(f, column, { ...cell, gives: !cell.gives }),
      t: () => f && cell && turn(f, column, { ...cell, takes: !cell.takes }),
      Delete: () =>
        f && cell && edit(`Take ${f.name} from ${sides[column]!.name}`, withCell(fields, f.name, column, null)),
    };
    const act = does[event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  const turn = (f: FieldForm, side: number, cell: NonNullable<FieldForm['cells'][number]>) =>
    edit(`${sides[side]!.name} ${flowWords(cell)} ${f.name}`, withCell(fields, f.name, side, cell));
  function rowOf(f: FieldForm, index: number, row: number): SpineRow {
    return {
      key: f.name,
      group: f.type === 'lines' ? f.name : f.group,
      tone: open?.kind === 'field' && open.field === f.name ? 'chosen' : undefined,
      drag: `row:${f.name}`,
      onDrop: (dragged) => drop(dragged, f.name),
      spine: (
        <button
          type="button"
          data-cell={`${row}.-1`}
          className="text-left"
          onClick={() => choose({ kind: 'field', field: f.name, side: null })}
        >
          <span className="font-semibold">{f.name}</span>{' '}
          <span className="text-sm text-spine-ink">
            {f.type === 'text' ? '' : TYPES[f.type]}
            {f.workedOut ? ' worked out' : ''}
          </span>
        </button>
      ),
      spineBelow: f.workedOut || f.cells.some((c) => c?.gives) ? (agreed[index] ?? ' ') : 'nobody gives it',
      spineBeside: troubled.has(index) && (
        <span className="text-held" title={troubled.get(index)}>
          <span aria-hidden="true">△</span>
          <span className="sr-only">needs attention</span>
        </span>
      ),
      cells: f.cells.map((_, side) => ({
        ...cellOf(f, side, row, samples[index]?.[side] ?? null, byCell.get(`${f.name}\n${side}`), open, choose),
        onFlow: f.cells[side] ? () => turn(f, side, nextFlow(f.cells[side]!)) : undefined,
        onDrop: (dragged: string) => drop(dragged, f.name, dragged.startsWith('row:') ? undefined : side),
      })),
    };
  }
  const inLines = (f: FieldForm): SpineRow[] =>
    (f.lines?.fields ?? []).map((line) => ({
      key: `${f.name} › ${line.name}`,
      group: f.name,
      tone: open?.kind === 'field' && open.field === f.name && open.line === line.name ? 'chosen' : undefined,
      spine: (
        <button
          type="button"
          className="text-left"
          onClick={() => choose({ kind: 'field', field: f.name, side: null, line: line.name })}
        >
          {line.name} <span className="text-sm text-spine-ink">{line.type === 'text' ? '' : TYPES[line.type]}</span>
          {f.lines?.key === line.name && <span className="text-sm text-spine-ink"> tells lines apart</span>}
        </button>
      ),
      cells: line.cells.map((c, side) => ({
        main: (
          <button
            type="button"
            className={`text-left break-words hover:underline ${c ? '' : 'text-soft italic'}`}
            onClick={() => choose({ kind: 'field', field: f.name, side, line: line.name })}
          >
            {c?.path ?? 'not kept here'}
          </button>
        ),
        gives: c?.gives ?? false,
        takes: c?.takes ?? false,
        isOpen: c === null,
        beside: c && c.conversion.kind !== 'asItStands' && (
          <span className="font-serif text-action italic" title="converted">
            ƒ<span className="sr-only"> converted</span>
          </span>
        ),
      })),
    }));
  const rows: SpineRow[] = shown.flatMap(({ f, index }, row) => [
    rowOf(f, index, row),
    ...(f.type === 'lines' ? inLines(f) : []),
  ]);
  const constants = settings.sides.flatMap((s, side) => s.constants.map((c) => ({ side, ...c })));
  const showConstants = filter === 'all' && constants.length > 0;
  const openList = (listed ?? fields.length === 0) && (found.length > 0 || (suggestions.data?.refused.length ?? 0) > 0);
  return (
    <>
      <DraftBar
        draft={draft.data}
        move={move.mutate}
        busy={move.isPending}
        check={() => choose({ kind: 'check' })}
        discardQuestion={`Throw away ${draft.data.step} edits? What is live stays as it is. This can't be undone.`}
      />
      {(notKept ?? move.error) && <Notice>{(notKept ?? move.error)?.message}</Notice>}
      <div className="mb-1 flex flex-wrap items-center gap-x-3 gap-y-1 text-soft">
        <SampleSteps
          sample={sample}
          isReading={draft.data.isReading}
          fault={draft.data.fault}
          find={find}
          show={show}
        />
        <Button keyHint="x" disabled={!sample} onClick={() => choose({ kind: 'try' })}>
          Try it
        </Button>
        <select
          aria-label="Which fields"
          value={filter}
          onChange={(e) => setFilter(e.target.value as typeof filter)}
          className="h-[30px] w-36 rounded border border-rule bg-sheet px-1"
        >
          <option value="all">all {fields.length} fields</option>
          <option value="mapped">on two sides or more</option>
          <option value="unmapped">on one side only</option>
          <option value="attention">that need attention ({troubled.size})</option>
        </select>
        <input
          aria-label="Find a field"
          placeholder="Find a field"
          value={text}
          onChange={(e) => setText(e.target.value)}
          className="h-[30px] w-28 rounded border border-rule bg-sheet px-2 placeholder:text-soft"
        />
        <span className="ml-auto">
          <Button onClick={() => add(fields, sides.length, edit, choose)}>Add a field</Button>
        </span>
      </div>
      {openList && (
        <Suggestions
          sides={sides}
          suggestions={found}
          refused={suggestions.data?.refused ?? []}
          take={(some) =>
            edit(
              some.length === 1
                ? `Take the suggestion ${some[0]!.field ?? some[0]!.name}`
                : `Take ${some.length} suggestions`,
              some.reduce((all, s) => taking(all, sides.length, s), fields),
            )
          }
          refuse={(s, again) => refuse.mutate({ ...s, again })}
        />
      )}
      <div ref={table} onKeyDown={hear}>
        <Spine
          caption="Fields of the draft"
          around={290}
          sides={sides.map((side) => ({
            side,
            below: <SideBelow side={side} id={sample?.ids[side.index] ?? null} choose={choose} />,
          }))}
          title="Agreed record"
          titleBelow={
            <>
              {fields.length} {fields.length === 1 ? 'field' : 'fields'}
              {found.length > 0 && (
                <>
                  {' · '}
                  <button
                    type="button"
                    aria-expanded={openList}
                    onClick={() => setListed(!openList)}
                    className="font-semibold text-alike hover:underline"
                  >
                    ? {found.length} {found.length === 1 ? 'suggestion' : 'suggestions'}, {sure.length} sure
                  </button>
                </>
              )}
            </>
          }
          rows={[
            ...rows,
            ...(showConstants
              ? constants.map((c): SpineRow => ({
                  key: `constant ${c.side} ${c.path}`,
                  spine: (
                    <button
                      type="button"
                      className="text-left text-spine-ink italic"
                      onClick={() => choose({ kind: 'constant', side: c.side, path: c.path })}
                    >
                      constant
                    </button>
                  ),
                  spineBelow: `a new record there gets it`,
                  tone:
                    open?.kind === 'constant' && open.path === c.path && open.side === c.side ? 'chosen' : undefined,
                  cells: sides.map((_, s) =>
                    s === c.side
                      ? {
                          main: (
                            <button
                              type="button"
                              className="text-left break-words hover:underline"
                              onClick={() => choose({ kind: 'constant', side: c.side, path: c.path })}
                            >
                              {c.path}
                            </button>
                          ),
                          below: `“${c.text}”`,
                          gives: false,
                          takes: true,
                        }
                      : { main: '', gives: false, takes: false, isOpen: true },
                  ),
                }))
              : []),
          ]}
        />
        <NewRow drop={(dragged) => drop(dragged, null)} isEmpty={fields.length === 0} choose={choose} />
      </div>
      <Tray page={draft.data} edit={edit} choose={choose} />
    </>
  );
}

/** The columns in the order in which they stand: sides, and -1 for the spine between them. */
function columnsOf(sides: number): number[] {
  const left = Math.max(1, Math.floor(sides / 2));
  const all = Array.from({ length: sides }, (_, s) => s);
  return [...all.slice(0, left), -1, ...all.slice(left)];
}

function cellOf(
  f: FieldForm,
  side: number,
  row: number,
  sample: string | null,
  suggested: Suggestion | undefined,
  open: Open | null,
  choose: (open: Open) => void,
): SpineCell {
  const c = f.cells[side] ?? null;
  const isOpen = open?.kind === 'field' && open.field === f.name && open.side === side;
  const offered = c ? undefined : suggested;
  const path = c?.path ?? (offered && (offered.leftSide === side ? offered.leftPath : offered.rightPath));
  return {
    main: (
      <button
        type="button"
        data-cell={`${row}.${side}`}
        onClick={() => choose({ kind: 'field', field: f.name, side })}
        className={`max-w-full text-left break-words hover:underline ${c ? '' : 'text-soft italic'} ${isOpen ? 'rounded outline-2 outline-offset-2 outline-action' : ''}`}
      >
        {path ?? 'not kept here'}
      </button>
    ),
    below: c ? (
      (sample ?? <span className="text-soft">empty</span>)
    ) : offered ? (
      <span className="text-alike">
        ? {Math.round(offered.confidence * 100)} %: {offered.why[0] ?? 'suggested'}
      </span>
    ) : undefined,
    gives: c?.gives ?? false,
    takes: c?.takes ?? false,
    isOpen: c === null,
    beside: c && (c.conversion.kind !== 'asItStands' || c.default) && (
      <span
        className="font-serif text-action italic"
        title={
          c.conversion.kind === 'codeList'
            ? 'by a code list'
            : c.conversion.kind === 'asItStands'
              ? `where it is empty: ${c.default}`
              : 'converted'
        }
      >
        {c.conversion.kind === 'codeList' ? '≡' : c.conversion.kind === 'asItStands' ? '∅' : 'ƒ'}
        <span className="sr-only">{c.conversion.kind === 'asItStands' ? ' has a default' : ' converted'}</span>
      </span>
    ),
  };
}

function add(fields: FieldForm[], sides: number, edit: Edit, choose: (open: Open) => void) {
  const name = freeName(fields, 'New field');
  edit(`Add ${name}`, [
    ...fields,
    newField(
      name,
      'text',
      Array.from({ length: sides }, () => null),
    ),
  ]);
  choose({ kind: 'field', field: name, side: null });
}

function SideBelow({ side, id, choose }: { side: Side; id: string | null; choose: (open: Open) => void }) {
  return (
    <>
      {side.collection}
      {id && <span title="the sample's id there"> {id}</span>} ·{' '}
      <button
        type="button"
        className="font-semibold text-action hover:underline"
        aria-label={`Fields of ${side.name}`}
        onClick={() => choose({ kind: 'catalogue', side: side.index })}
      >
        fields
      </button>
    </>
  );
}

/** Steps through the sample records, and finds one. */
function SampleSteps({
  sample,
  isReading,
  fault,
  find,
  show,
}: {
  sample: DraftPage['sample'];
  isReading: boolean;
  fault: string | null;
  find: string;
  show: (n: number, find?: string) => void;
}) {
  const [typed, setTyped] = useState(find);
  return (
    <span className="flex items-center gap-1">
      <button
        type="button"
        aria-label="Sample record before"
        disabled={!sample}
        onClick={() => sample && show(sample.position > 1 ? sample.position - 1 : sample.of)}
        className="min-h-6 min-w-6 font-semibold text-ink disabled:opacity-40"
      >
        ‹
      </button>
      {sample ? (
        sample.link ? (
          <Link to={`/records/${sample.link}`} className="max-w-40 truncate font-semibold text-ink hover:underline">
            {sample.title}
          </Link>
        ) : (
          <span
            className="max-w-40 truncate font-semibold text-ink"
            title={`${sample.title}: read from the systems, not linked yet`}
          >
            {sample.title}
          </span>
        )
      ) : (
        <span title={fault ?? undefined}>
          {isReading ? 'Reading sample records…' : fault ? 'No sample: see Check' : 'No record to look at'}
        </span>
      )}
      <button
        type="button"
        aria-label="Next sample record"
        disabled={!sample}
        onClick={() => sample && show((sample.position % sample.of) + 1)}
        className="min-h-6 min-w-6 font-semibold text-ink disabled:opacity-40"
      >
        ›
      </button>
      {sample && (
        <span className="whitespace-nowrap">
          {sample.position.toLocaleString()} of {sample.of.toLocaleString()}
        </span>
      )}
      <input
        aria-label="Find a sample record"
        placeholder="Find a record"
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onKeyDown={(e) => e.key === 'Enter' && show(1, typed.trim())}
        onBlur={() => typed.trim() !== find && show(1, typed.trim())}
        className="h-[30px] w-28 rounded border border-rule bg-sheet px-2 placeholder:text-soft"
      />
    </span>
  );
}

/** The place under the last row where a side's field becomes a new agreed field. */
function NewRow({
  drop,
  isEmpty,
  choose,
}: {
  drop: (dragged: string) => void;
  isEmpty: boolean;
  choose: (open: Open) => void;
}) {
  return (
    <div
      className="border-b border-dashed border-rule px-3 py-2 text-center text-sm text-soft data-over:bg-spine"
      onDragOver={(e) => {
        e.preventDefault();
        e.currentTarget.dataset.over = 'true';
      }}
      onDragLeave={(e) => delete e.currentTarget.dataset.over}
      onDrop={(e) => {
        e.preventDefault();
        delete e.currentTarget.dataset.over;
        drop(e.dataTransfer.getData('text/plain'));
      }}
    >
      {isEmpty ? 'Nothing is mapped yet. Take suggestions, or drag' : 'Drag'} a side's field here for a new agreed
      field, or onto a row.{' '}
      <button
        type="button"
        className="font-semibold text-action hover:underline"
        onClick={() => choose({ kind: 'catalogue', side: 0 })}
      >
        See the sides' fields
      </button>
    </div>
  );
}

/** What a side requires and nobody supplies, with the ways to supply it. */
function Tray({ page, edit, choose }: { page: DraftPage; edit: Edit; choose: (open: Open) => void }) {
  const missing = page.findings.filter(
    (f) => f.field === null && f.side !== null && f.path !== null && !f.isWrong && !f.isJudged,
  );
  if (missing.length === 0 || page.fields.length === 0) return null;
  return (
    <section aria-label="What is missing" className="mt-3 border-l-4 border-held bg-held-tint px-3 py-2">
      <h3 className="font-semibold">Required, and nobody supplies it</h3>
      <ul className="mt-1 grid gap-x-6 xl:grid-cols-2">
        {missing.map((f) => (
          <li key={`${f.side} ${f.path}`} className="flex items-center gap-2 py-0.5" title={f.words}>
            <span className="min-w-0 flex-1 truncate">
              <span className="text-sm text-soft">{page.sides[f.side!]!.name} </span>
              {f.path}
            </span>
            <button
              type="button"
              className="text-sm font-semibold text-action hover:underline"
              onClick={() => {
                const { fields, name } = mapping(
                  page.fields,
                  page.sides.length,
                  f.side!,
                  { path: f.path!, type: 'text', readOnly: false },
                  null,
                );
                edit(`Add ${name}`, fields);
                choose({ kind: 'field', field: name, side: f.side! });
              }}
              aria-label={`Map ${f.path}`}
            >
              Map it
            </button>
            <button
              type="button"
              className="text-sm font-semibold text-action hover:underline"
              onClick={() => choose({ kind: 'constant', side: f.side!, path: f.path! })}
              aria-label={`A constant for ${f.path}`}
            >
              A constant
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
