import { useDeferredValue, useState } from 'react';
import { Link } from 'react-router';
import type { FieldForm } from '../../../api/client';
import { useWorkedOut } from '../../../api/queries';
import { Notice } from '../../../parts/States';
import { FormulaEditor } from './FormulaEditor';

/** A field that no side gives: worked out of the other agreed fields, tried on the sample record at each keystroke. */
export function WorkedOut({
  mirrorKey,
  field,
  others,
  at,
  find,
  keep,
}: {
  mirrorKey: string;
  field: FieldForm;
  /** The agreed fields that the formula may name. */
  others: string[];
  at: number;
  find: string;
  keep: (formula: string | null) => void;
}) {
  const [typed, setTyped] = useState(field.workedOut ?? '');
  const [kept, setKept] = useState(field.workedOut ?? null);
  const [isOpen, setOpen] = useState(false);
  if (kept !== (field.workedOut ?? null)) {
    // Undone, done again or changed elsewhere.
    setKept(field.workedOut ?? null);
    setTyped(field.workedOut ?? '');
  }
  const formula = useDeferredValue(typed.trim());
  const tried = useWorkedOut(mirrorKey, field.name, field.type, formula, at, find);
  if (!isOpen && !field.workedOut) {
    return (
      <button type="button" className="font-semibold text-action hover:underline" onClick={() => setOpen(true)}>
        Work it out by a formula…
      </button>
    );
  }
  return (
    <section aria-label="Worked out by a formula" className="space-y-1.5 border border-rule p-2">
      <FormulaEditor
        label="Worked out as"
        value={typed}
        fields={others}
        type={setTyped}
        leave={() => {
          const next = typed.trim() || null;
          if (next !== (field.workedOut ?? null)) keep(next);
        }}
      />
      {tried.isError && <Notice>{tried.error.message}</Notice>}
      {formula !== '' && tried.data && (
        <div aria-live="polite">
          {tried.data.problem ? (
            <p className="border-l-4 border-refused px-2 text-refused">{tried.data.problem}</p>
          ) : (
            tried.data.title && (
              <p className="bg-spine px-2.5 py-1.5 text-spine-ink">
                <span className="font-semibold break-words">{tried.data.value || 'nothing'}</span>
                <span className="block text-sm">for {tried.data.title}</span>
              </p>
            )
          )}
          {tried.data.inWords && <p className="mt-1 text-sm text-soft">That is: {tried.data.inWords}.</p>}
        </div>
      )}
      <p className="text-sm text-soft">
        No side gives it: it follows the other agreed fields, by their names.{' '}
        <code className="font-mono">REFERENCE</code> is a record's id in one of the systems;{' '}
        <code className="font-mono">SUM(LINKED("invoices"; "Total"))</code> adds up what records of another mirror that
        point at this one hold.{' '}
        <Link to="/formulas" target="_blank" className="underline">
          All functions
        </Link>
      </p>
    </section>
  );
}
