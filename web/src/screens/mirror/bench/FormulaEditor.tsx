import { useId, useRef, useState, type KeyboardEvent } from 'react';
import type { FormulaFunction } from '../../../api/client';
import { useFunctions } from '../../../api/queries';
import { completions, functionAt, wordAt, type Completion } from './completion';

/** A formula as it is typed: completes functions and fields, and says what the function at the cursor takes. */
export function FormulaEditor({
  label,
  value,
  fields,
  type,
  leave,
}: {
  label: string;
  value: string;
  /** The fields that it may name. */
  fields: string[];
  type: (text: string) => void;
  leave: () => void;
}) {
  const functions = useFunctions();
  const [cursor, setCursor] = useState<number | null>(null);
  const [at, setAt] = useState(0);
  const [hidden, setHidden] = useState(false);
  const area = useRef<HTMLTextAreaElement>(null);
  const id = useId();
  const all = functions.data ?? [];
  const offered = cursor === null || hidden ? [] : completions(value, cursor, all, fields);
  const called = cursor === null ? undefined : functionOf(all, functionAt(value, cursor));
  const take = (chosen: Completion) => {
    const { from, to } = wordAt(value, cursor ?? value.length);
    const text = value.slice(0, from) + chosen.inserts + value.slice(to);
    type(text);
    setHidden(true);
    const place = from + chosen.inserts.length;
    requestAnimationFrame(() => {
      area.current?.focus();
      area.current?.setSelectionRange(place, place);
      setCursor(place);
    });
  };
  const hear = (e: KeyboardEvent<HTMLTextAreaElement>) => {
    if (offered.length === 0) return;
    const chosen = offered[Math.min(at, offered.length - 1)]!;
    const does: Record<string, () => void> = {
      ArrowDown: () => setAt((at + 1) % offered.length),
      ArrowUp: () => setAt((at + offered.length - 1) % offered.length),
      Tab: () => take(chosen),
      Enter: () => take(chosen),
      Escape: () => setHidden(true),
    };
    const act = does[e.key];
    if (!act) return;
    e.preventDefault();
    e.stopPropagation();
    act();
  };
  return (
    <div className="relative">
      <label className="block">
        <span className="mb-1 block text-sm font-semibold text-soft">{label}</span>
        <textarea
          ref={area}
          rows={Math.min(6, 2 + Math.floor(value.length / 44))}
          spellCheck={false}
          autoComplete="off"
          role="combobox"
          aria-expanded={offered.length > 0}
          aria-controls={id}
          aria-autocomplete="list"
          aria-activedescendant={offered.length > 0 ? `${id}-${Math.min(at, offered.length - 1)}` : undefined}
          className="w-full rounded border border-rule bg-ground px-2 py-1 font-mono text-[12px] leading-5"
          value={value}
          onChange={(e) => {
            type(e.target.value);
            setCursor(e.target.selectionStart);
            setAt(0);
            setHidden(false);
          }}
          onSelect={(e) => setCursor(e.currentTarget.selectionStart)}
          onKeyDown={hear}
          onBlur={() => {
            setCursor(null);
            leave();
          }}
        />
      </label>
      <ul
        id={id}
        role="listbox"
        aria-label="Completions"
        hidden={offered.length === 0}
        className="absolute inset-x-0 z-20 max-h-56 overflow-auto rounded border border-rule bg-sheet shadow-lg"
      >
        {offered.map((c, i) => (
          <li
            key={c.inserts}
            id={`${id}-${i}`}
            role="option"
            aria-selected={i === at}
            className={`cursor-pointer px-2 py-1 ${i === at ? 'bg-spine' : ''}`}
            onMouseDown={(e) => {
              e.preventDefault();
              take(c);
            }}
          >
            <code className="font-mono text-[12px]">{c.shown}</code>
            {c.does && <span className="block truncate text-sm text-soft">{c.does}</span>}
          </li>
        ))}
      </ul>
      {called && offered.length === 0 && (
        <p className="mt-1 text-sm text-soft" aria-live="polite">
          <code className="font-mono text-[12px] text-ink">{called.signature}</code> {called.does}
        </p>
      )}
    </div>
  );
}

const functionOf = (all: FormulaFunction[], name: string | null) =>
  name === null ? undefined : all.find((f) => f.name === name.toUpperCase());
