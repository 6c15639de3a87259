import type { Side, Suggestion } from '../../../api/client';
import { Button } from '../../../parts/Button';

/** Pairs of fields that may hold the same. Sure ones can be taken together; the others one by one. */
export function Suggestions({
  sides,
  suggestions,
  take,
}: {
  sides: Side[];
  suggestions: Suggestion[];
  take: (some: Suggestion[]) => void;
}) {
  const sure = suggestions.filter((s) => s.isSure);
  return (
    <section aria-label="Suggestions" className="mb-2 max-h-64 overflow-auto border border-rule bg-sheet">
      <div className="sticky top-0 flex items-center gap-3 border-b border-rule bg-sheet px-3 py-1.5">
        <p className="flex-1 text-sm text-soft">
          Found by names, types and values. Nothing is taken by itself; a suggestion that was taken can be undone.
        </p>
        {sure.length > 1 && <Button onClick={() => take(sure)}>Take the {sure.length} sure ones</Button>}
      </div>
      <ul>
        {suggestions.map((s) => (
          <li
            key={`${s.leftSide}.${s.leftPath}-${s.rightSide}.${s.rightPath}`}
            className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_52px_minmax(0,1fr)_auto] items-center gap-3 border-b border-rule px-3 py-1 last:border-b-0"
          >
            <span className="truncate" title={s.leftPath}>
              <span className="text-sm text-soft">{sides[s.leftSide]?.name} </span>
              {s.leftPath}
            </span>
            <span className="truncate" title={s.rightPath}>
              <span className="text-sm text-soft">{sides[s.rightSide]?.name} </span>
              {s.rightPath}
            </span>
            <span className={`text-right ${s.isSure ? 'font-semibold' : ''}`}>{Math.round(s.confidence * 100)} %</span>
            <span className="truncate text-sm text-soft">
              {s.field ? `beside ${s.field}: ` : ''}
              {s.why.join(', ')}
            </span>
            <Button onClick={() => take([s])} aria-label={`Take ${s.leftPath} and ${s.rightPath}`}>
              Take
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
