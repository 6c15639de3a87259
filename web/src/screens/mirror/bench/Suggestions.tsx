import { useState } from 'react';
import type { RefusedSuggestion, Side, Suggestion } from '../../../api/client';
import { Button } from '../../../parts/Button';

/** So many are shown at once: the fields themselves stay in sight. */
const FEW = 6;

/** Pairs of fields that may hold the same. Sure ones can be taken together; the others one by one. */
export function Suggestions({
  sides,
  suggestions,
  refused,
  take,
  refuse,
}: {
  sides: Side[];
  suggestions: Suggestion[];
  refused: RefusedSuggestion[];
  take: (some: Suggestion[]) => void;
  refuse: (pair: RefusedSuggestion, again: boolean) => void;
}) {
  const [showRefused, setShowRefused] = useState(false);
  const [showAll, setShowAll] = useState(false);
  const shown = showAll ? suggestions : suggestions.slice(0, FEW);
  const sure = suggestions.filter((s) => s.isSure);
  return (
    <section aria-label="Suggestions" className="mb-2 border border-rule bg-sheet">
      <div className="flex items-center gap-3 border-b border-rule px-3 py-1.5">
        <p className="flex-1 text-sm text-soft">
          Found by names, types and values. Nothing is taken by itself; a suggestion that was taken can be undone.{' '}
          {refused.length > 0 && (
            <button
              type="button"
              className="underline"
              aria-expanded={showRefused}
              onClick={() => setShowRefused(!showRefused)}
            >
              {refused.length} refused
            </button>
          )}
        </p>
        {sure.length > 1 && <Button onClick={() => take(sure)}>Take the {sure.length} sure ones</Button>}
      </div>
      <ul>
        {shown.map((s) => (
          <li
            key={`${s.leftSide}.${s.leftPath}-${s.rightSide}.${s.rightPath}`}
            className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_52px_minmax(0,1fr)_auto] items-center gap-3 border-b border-rule px-3 py-1 last:border-b-0"
          >
            <Path of={sides[s.leftSide]} path={s.leftPath} />
            <Path of={sides[s.rightSide]} path={s.rightPath} />
            <span className={`text-right ${s.isSure ? 'font-semibold' : ''}`}>{Math.round(s.confidence * 100)} %</span>
            <span className="truncate text-sm text-soft">
              {s.field ? `beside ${s.field}: ` : ''}
              {s.why.join(', ')}
            </span>
            <span className="flex gap-1">
              <Button onClick={() => take([s])} aria-label={`Take ${s.leftPath} and ${s.rightPath}`}>
                Take
              </Button>
              <Button
                onClick={() => refuse(pairOf(s), false)}
                aria-label={`Refuse ${s.leftPath} and ${s.rightPath}`}
                title="They do not belong together: not suggested again"
              >
                Not these
              </Button>
            </span>
          </li>
        ))}
        {showRefused &&
          refused.map((r) => (
            <li
              key={`${r.leftSide}.${r.leftPath}-${r.rightSide}.${r.rightPath}`}
              className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)_auto] items-center gap-3 border-b border-rule px-3 py-1 text-soft last:border-b-0"
            >
              <Path of={sides[r.leftSide]} path={r.leftPath} />
              <Path of={sides[r.rightSide]} path={r.rightPath} />
              <span className="text-sm">refused: not suggested</span>
              <Button onClick={() => refuse(r, true)} aria-label={`Suggest ${r.leftPath} and ${r.rightPath} again`}>
                Suggest again
              </Button>
            </li>
          ))}
      </ul>
      {suggestions.length > FEW && (
        <button
          type="button"
          className="px-3 py-1.5 text-action underline"
          aria-expanded={showAll}
          onClick={() => setShowAll(!showAll)}
        >
          {showAll ? `Show the first ${FEW} only` : `Show the other ${suggestions.length - FEW}`}
        </button>
      )}
    </section>
  );
}

const pairOf = ({ leftSide, leftPath, rightSide, rightPath }: Suggestion): RefusedSuggestion => ({
  leftSide,
  leftPath,
  rightSide,
  rightPath,
});

function Path({ of, path }: { of?: Side; path: string }) {
  return (
    <span className="truncate" title={path}>
      <span className="text-sm text-soft">{of?.name} </span>
      {path}
    </span>
  );
}
