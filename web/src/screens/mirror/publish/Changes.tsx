import type { Comparison, MirrorChange } from '../../../api/client';
import { Spine, type SpineCell } from '../../../parts/Spine';

/** One setting before and after, in words. */
function Line({ of }: { of: MirrorChange }) {
  const isField = of.what === 'its field' || of.what === 'field';
  return (
    <span className="block whitespace-normal">
      {!isField && <span className="text-sm text-soft">{of.what}: </span>}
      {of.before !== null && of.before !== undefined && (
        <>
          <del className={`text-soft ${of.before.length > 40 ? 'block' : ''}`}>{of.before}</del>{' '}
        </>
      )}
      {of.after === null || of.after === undefined ? (
        <span className="text-refused">
          <span aria-hidden="true">−</span> <span className={of.before ? 'sr-only' : ''}>taken out</span>
        </span>
      ) : (
        <ins className="font-semibold no-underline">
          {of.before === null || of.before === undefined ? '+ ' : '→ '}
          {of.after}
        </ins>
      )}
    </span>
  );
}

/** What is otherwise between two versions: on the spine, field by field, then as sentences. */
export function Changes({ comparison }: { comparison: Comparison }) {
  const { changes, sides } = comparison;
  if (changes.length === 0) return <p className="bg-sheet px-4 py-3">Nothing is otherwise.</p>;
  const fields = [...new Set(changes.map((c) => c.field ?? null))];
  const cell = (field: string | null, side: number): SpineCell => {
    const own = changes.filter((c) => (c.field ?? null) === field && c.side === side);
    return { main: own.map((c) => <Line key={c.what} of={c} />), gives: false, takes: false, isOpen: true };
  };
  return (
    <>
      <Spine
        caption="What is otherwise"
        sides={sides.map((side) => ({ side }))}
        title="Agreed record"
        titleBelow={`${changes.length.toLocaleString()} ${changes.length === 1 ? 'change' : 'changes'}`}
        labelled
        rows={fields.map((field) => {
          const own = changes.filter((c) => (c.field ?? null) === field && (c.side === null || c.side === undefined));
          return {
            key: field ?? '',
            label: field ?? <span className="text-soft">The mirror</span>,
            spine: (
              <span className="block">
                {own.map((c) => (
                  <Line key={c.what} of={c} />
                ))}
              </span>
            ),
            cells: sides.map((s) => cell(field, s.index)),
          };
        })}
        around={420}
      />
      <div className="mt-3 grid grid-cols-2 gap-4">
        <Sentences title="Not true any more" of={comparison.gone} />
        <Sentences title="True from then on" of={comparison.new} />
      </div>
    </>
  );
}

function Sentences({ title, of }: { title: string; of: string[] }) {
  return (
    <div>
      <h3 className="text-sm font-semibold text-soft">{title}</h3>
      {of.length === 0 ? (
        <p className="text-soft">No sentence.</p>
      ) : (
        <ul className="max-h-64 overflow-auto" tabIndex={0} aria-label={title}>
          {of.map((s) => (
            <li key={s} className="border-t border-rule py-1">
              {s}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
