import { useState } from 'react';
import { Link } from 'react-router';
import type { DraftPage, FieldForm, MirrorPage, Suggestion } from '../../../api/client';
import { useDraft, useMoveDraft, useSaveDraft, useSuggestions } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { useKeys } from '../../../parts/keys';
import { Spine, type SpineCell } from '../../../parts/Spine';
import { Failing, Loading, Notice } from '../../../parts/States';
import { newField, suggestionFor, taking, TYPES, type OpenCell } from './edits';
import { Suggestions } from './Suggestions';

/** The mapping bench: agreed fields as rows, the sides beside them, edited in a draft that is saved at once. */
export function Bench({
  mirrorKey,
  agreed,
  sample,
  show,
  at,
  open,
  choose,
}: {
  mirrorKey: string;
  /** What the sample record says, field by field. */
  agreed: Map<string, string | null>;
  sample: MirrorPage['sample'];
  show: (n: number) => void;
  at: number;
  open: OpenCell | null;
  choose: (cell: OpenCell | null) => void;
}) {
  const draft = useDraft(mirrorKey, at);
  const suggestions = useSuggestions(mirrorKey, draft.data?.step ?? 0);
  const save = useSaveDraft(mirrorKey);
  const move = useMoveDraft(mirrorKey);
  const [filter, setFilter] = useState<'all' | 'mapped' | 'unmapped' | 'attention'>('all');
  const [text, setText] = useState('');
  const [listed, setListed] = useState(false);
  const page = draft.data;
  const edit = (what: string, fields: FieldForm[]) => page && save.mutate({ step: page.step, what, fields });
  useKeys([
    { key: 'z', does: 'Undo the last edit', act: () => page && page.step > 0 && move.mutate('undo') },
    { key: 'y', does: 'Do it again', act: () => page && page.step < page.last && move.mutate('redo') },
  ]);
  if (draft.isPending) return <Loading what="the fields" />;
  if (draft.isError) return <Failing error={draft.error} retry={() => void draft.refetch()} />;
  const { sides, fields, findings } = draft.data;
  const found = suggestions.data?.suggestions ?? [];
  const sure = found.filter((s) => s.isSure);
  const troubled = new Set(findings.map((f) => f.field).filter((f) => f !== null));
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
  return (
    <>
      <Bar draft={draft.data} move={move.mutate} busy={move.isPending} />
      {(save.isError || move.isError) && <Notice>{(save.error ?? move.error)?.message}</Notice>}
      <div className="mb-1 flex flex-wrap items-center gap-x-3 gap-y-1 text-soft">
        {sample ? (
          <span className="flex items-center gap-1">
            <button
              type="button"
              aria-label="Sample record before"
              onClick={() => show(sample.position - 1)}
              className="min-h-6 min-w-6 font-semibold text-ink"
            >
              ‹
            </button>
            <Link to={`/records/${sample.link}`} className="max-w-56 truncate font-semibold text-ink hover:underline">
              {sample.title}
            </Link>
            <button
              type="button"
              aria-label="Next sample record"
              onClick={() => show(sample.position + 1)}
              className="min-h-6 min-w-6 font-semibold text-ink"
            >
              ›
            </button>
            {sample.position.toLocaleString()} of {sample.of.toLocaleString()}
          </span>
        ) : (
          'No record yet'
        )}
        <select
          aria-label="Which fields"
          value={filter}
          onChange={(e) => setFilter(e.target.value as typeof filter)}
          className="h-7 rounded border border-rule bg-sheet px-1"
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
          className="h-7 w-32 rounded border border-rule bg-sheet px-2 placeholder:text-soft"
        />
        <span className="ml-auto flex items-center gap-2">
          {found.length > 0 && (
            <button
              type="button"
              aria-expanded={listed}
              onClick={() => setListed(!listed)}
              className="font-semibold text-alike hover:underline"
            >
              ? {found.length} {found.length === 1 ? 'suggestion' : 'suggestions'}, {sure.length} sure
            </button>
          )}
          <Button onClick={() => add(fields, sides.length, edit, choose)}>Add a field</Button>
        </span>
      </div>
      {listed && (
        <Suggestions
          sides={sides}
          suggestions={found}
          take={(some) =>
            edit(
              some.length === 1 ? `Take the suggestion ${some[0]!.name}` : `Take ${some.length} suggestions`,
              some.reduce((all, s) => taking(all, sides.length, s), fields),
            )
          }
        />
      )}
      <Spine
        caption="Fields of the draft"
        sides={sides.map((side) => ({ side }))}
        title="Agreed record"
        titleBelow={`${fields.length} fields`}
        rows={shown.map(({ f, index }) => ({
          key: f.name,
          group: f.group,
          tone: open?.field === f.name ? 'chosen' : undefined,
          spine: (
            <button type="button" className="text-left" onClick={() => choose({ field: f.name, side: null })}>
              <span className="font-semibold">{f.name}</span>{' '}
              <span className="text-sm text-spine-ink">{f.type === 'text' ? '' : TYPES[f.type]}</span>
            </button>
          ),
          spineBelow: f.cells.some((c) => c?.gives) ? (agreed.get(f.name) ?? ' ') : 'nobody gives it',
          spineBeside: troubled.has(index) && (
            <span className="text-held" title={findings.find((x) => x.field === index)?.words}>
              <span aria-hidden="true">△</span>
              <span className="sr-only">needs attention</span>
            </span>
          ),
          cells: f.cells.map((_, side) =>
            cell(f, side, draft.data.samples[index]?.[side] ?? null, found, open, choose),
          ),
        }))}
      />
      <Tray findings={findings.filter((f) => f.field === null)} />
    </>
  );
}

function cell(
  f: FieldForm,
  side: number,
  sample: string | null,
  suggestions: Suggestion[],
  open: OpenCell | null,
  choose: (cell: OpenCell) => void,
): SpineCell {
  const c = f.cells[side] ?? null;
  const isOpen = open?.field === f.name && open.side === side;
  const suggested = c ? undefined : suggestionFor(suggestions, f.name, side);
  const path = c?.path ?? (suggested && (suggested.leftSide === side ? suggested.leftPath : suggested.rightPath));
  return {
    main: (
      <button
        type="button"
        onClick={() => choose({ field: f.name, side })}
        className={`max-w-full text-left break-words hover:underline ${c ? '' : 'text-soft italic'} ${isOpen ? 'rounded outline-2 outline-offset-2 outline-action' : ''}`}
      >
        {path ?? 'not kept here'}
      </button>
    ),
    below: c ? (
      (sample ?? <span className="text-soft">empty</span>)
    ) : suggested ? (
      <span className="text-alike">
        ? {Math.round(suggested.confidence * 100)} %: {suggested.why[0] ?? 'suggested'}
      </span>
    ) : undefined,
    gives: c?.gives ?? false,
    takes: c?.takes ?? false,
    beside: c && c.conversion.kind !== 'asItStands' && (
      <span
        className="font-serif text-action italic"
        title={c.conversion.kind === 'codeList' ? 'by a code list' : 'converted'}
      >
        {c.conversion.kind === 'codeList' ? '≡' : 'ƒ'}
        <span className="sr-only"> converted</span>
      </span>
    ),
  };
}

function add(
  fields: FieldForm[],
  sides: number,
  edit: (what: string, fields: FieldForm[]) => void,
  choose: (cell: OpenCell) => void,
) {
  const name =
    ['New field', ...fields.map((_, i) => `New field ${i + 2}`)].find((n) => fields.every((f) => f.name !== n)) ??
    'New';
  edit(`Add ${name}`, [
    ...fields,
    newField(
      name,
      'text',
      Array.from({ length: sides }, () => null),
    ),
  ]);
  choose({ field: name, side: null });
}

/** What the draft is: how far it went from what is live, and the ways on from it. */
function Bar({
  draft,
  move,
  busy,
}: {
  draft: DraftPage;
  move: (what: 'undo' | 'redo' | 'publish' | 'discard') => void;
  busy: boolean;
}) {
  const wrong = draft.findings.filter((f) => f.isWrong).length;
  return (
    <div className="mb-2 flex items-center gap-2 border-b border-rule pb-2">
      <span className="min-w-0 flex-1 truncate text-soft" aria-live="polite">
        {draft.step === 0 ? (
          `As it is live, version ${draft.basedOn}. An edit begins a draft; what is live changes only by publishing.`
        ) : (
          <>
            Draft, {draft.step} {draft.step === 1 ? 'edit' : 'edits'} since version {draft.basedOn} · saved · last:{' '}
            {draft.what}
          </>
        )}
      </span>
      <Button
        keyHint="z"
        disabled={draft.step === 0 || busy}
        onClick={() => move('undo')}
        title={draft.what ?? undefined}
      >
        Undo
      </Button>
      <Button
        keyHint="y"
        disabled={draft.step >= draft.last || busy}
        onClick={() => move('redo')}
        title={draft.undone ?? undefined}
      >
        Redo
      </Button>
      {draft.step > 0 && (
        <>
          <Button
            disabled={busy}
            onClick={() => {
              if (window.confirm(`Throw away ${draft.step} edits? What is live stays as it is. This can't be undone.`))
                move('discard');
            }}
          >
            Discard
          </Button>
          <Button
            primary
            disabled={busy || wrong > 0}
            title={wrong > 0 ? `${wrong} things are wrong; they are listed` : undefined}
            onClick={() => {
              if (
                window.confirm(
                  `Publish ${draft.step} edits as version ${draft.basedOn + 1}? The next run reads every record again and writes what follows.`,
                )
              )
                move('publish');
            }}
          >
            Publish{wrong > 0 ? `: ${wrong} wrong` : ''}
          </Button>
        </>
      )}
    </div>
  );
}

/** What is wrong with the mirror as a whole: above all, what a side requires and nobody supplies. */
function Tray({ findings }: { findings: DraftPage['findings'] }) {
  if (findings.length === 0) return null;
  return (
    <ul aria-label="What is missing" className="mt-2 border-l-4 border-held bg-held-tint px-3 py-2">
      {findings.map((f) => (
        <li key={f.words} className="py-0.5">
          <span aria-hidden="true">{f.isWrong ? '‖ ' : '△ '}</span>
          {f.words}
        </li>
      ))}
    </ul>
  );
}
