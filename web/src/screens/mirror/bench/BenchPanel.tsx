import type { DraftPage, FieldForm } from '../../../api/client';
import { useDraft, useEditDraft } from '../../../api/queries';
import { Notice } from '../../../parts/States';
import { AgreedField } from './AgreedField';
import { CataloguePanel } from './CataloguePanel';
import { CellPanel } from './CellPanel';
import { CheckPanel } from './CheckPanel';
import { ConstantPanel } from './ConstantPanel';
import { insideLines, type Edit, type Open } from './edits';
import { TryPanel } from './TryPanel';

/** Beside the bench: what is open, or else what the mirror does in plain words. */
export function BenchPanel({
  mirrorKey,
  at,
  find,
  open,
  choose,
}: {
  mirrorKey: string;
  at: number;
  find: string;
  open: Open | null;
  choose: (open: Open | null) => void;
}) {
  const draft = useDraft(mirrorKey, at, find);
  const { edit, error } = useEditDraft(mirrorKey);
  const page = draft.data;
  const close = () => choose(null);
  const field = open?.kind === 'field' ? page?.fields.find((f) => f.name === open.field) : undefined;
  const isWide = open?.kind === 'try';
  const what = !page || !open || (open.kind === 'field' && !field) ? 'words' : open.kind;
  return (
    <aside
      tabIndex={0}
      aria-label={field ? `Details of ${field.name}` : TITLES[what]}
      className={`sticky top-0 shrink-0 self-start overflow-auto border-l border-rule bg-sheet px-4 py-3 ${isWide ? 'w-[440px]' : 'w-[350px]'}`}
      style={{ height: 'calc(100vh - 72px)' }}
    >
      {error && <Notice>{error.message}</Notice>}
      {what !== 'words' && (
        <button type="button" aria-label="Close" onClick={close} className="float-right min-h-6 min-w-6 text-soft">
          ×
        </button>
      )}
      {!page ? null : open?.kind === 'field' && field ? (
        <>
          {open.line !== undefined ? (
            <InLines
              key={`${field.name}.${open.line}.${open.side}`}
              mirrorKey={mirrorKey}
              page={page}
              field={field}
              open={{ ...open, line: open.line }}
              edit={edit}
              choose={choose}
            />
          ) : open.side === null ? (
            <AgreedField
              key={field.name}
              mirrorKey={mirrorKey}
              at={at}
              find={find}
              field={field}
              page={page}
              edit={edit}
              choose={choose}
            />
          ) : (
            <CellPanel
              key={`${field.name}.${open.side}`}
              mirrorKey={mirrorKey}
              page={page}
              field={field}
              side={open.side}
              edit={edit}
            />
          )}
          <About page={page} index={page.fields.indexOf(field)} side={open.side} />
        </>
      ) : open?.kind === 'constant' ? (
        <ConstantPanel
          key={`${open.side} ${open.path}`}
          page={page}
          side={open.side}
          path={open.path}
          edit={edit}
          choose={choose}
        />
      ) : open?.kind === 'catalogue' ? (
        <CataloguePanel page={page} side={open.side} edit={edit} choose={choose} />
      ) : open?.kind === 'check' ? (
        <CheckPanel page={page} choose={choose} edit={edit} />
      ) : open?.kind === 'try' ? (
        <TryPanel mirrorKey={mirrorKey} page={page} at={at} find={find} />
      ) : (
        <InWords page={page} />
      )}
    </aside>
  );
}

const TITLES = {
  words: 'In plain words',
  field: 'Details',
  constant: 'A constant',
  catalogue: 'Fields of the sides',
  check: 'Check',
  try: 'Try this record',
};

/** One field of lines, by the same panels as any other. */
function InLines({
  mirrorKey,
  page,
  field,
  open,
  edit,
  choose,
}: {
  mirrorKey: string;
  page: DraftPage;
  field: FieldForm;
  open: { side: number | null; line: string };
  edit: Edit;
  choose: (open: Open | null) => void;
}) {
  const inside = insideLines(page, field.name, edit);
  const line = inside.page.fields.find((f) => f.name === open.line);
  if (!line) return null;
  return open.side === null ? (
    <AgreedField
      mirrorKey={mirrorKey}
      at={1}
      find=""
      field={line}
      page={inside.page}
      edit={inside.edit}
      inLines
      choose={(next) =>
        choose(next?.kind === 'field' ? { kind: 'field', field: field.name, side: null, line: next.field } : next)
      }
    />
  ) : (
    <CellPanel
      mirrorKey={mirrorKey}
      page={inside.page}
      field={line}
      side={open.side}
      edit={inside.edit}
      within={field.cells[open.side]?.path ?? ''}
    />
  );
}

/** What the field does in plain words, and what is wrong with it. */
function About({ page, index, side }: { page: DraftPage; index: number; side: number | null }) {
  return (
    <>
      <h3 className="mt-4 text-sm font-semibold text-soft">In plain words</h3>
      <p className="mt-1 bg-ground px-2.5 py-2">{page.inPlainWords[index]}</p>
      <ul className="mt-2">
        {page.findings
          .filter((f) => f.field === index && !f.isJudged && (side === null || f.side === null || f.side === side))
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
  );
}

function InWords({ page }: { page: DraftPage }) {
  return (
    <>
      <h2 className="font-semibold">In plain words</h2>
      <p className="mt-1 text-sm text-soft">
        {page.fields.length === 0
          ? 'What the mirror does is said here, sentence by sentence, as its fields are mapped.'
          : 'Open a field or a cell to change it.'}
      </p>
      <dl className="mt-2">
        {page.fields.map((f, i) => (
          <div key={f.name} className="border-t border-rule py-2">
            <dt className="text-sm font-semibold text-soft">{f.name}</dt>
            <dd>{page.inPlainWords[i]}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}
