import { useId, type ReactNode } from 'react';

export const INPUT = 'h-[30px] w-full rounded border border-rule bg-sheet px-2.5 placeholder:text-soft';

/** A field of a form with its label, and a word on what to type. */
export function Labelled({
  label,
  hint,
  children,
}: {
  label: string;
  hint?: ReactNode;
  children: (id: string) => ReactNode;
}) {
  const id = useId();
  return (
    <div>
      <label htmlFor={id} className="mb-1 block font-semibold">
        {label}
      </label>
      {children(id)}
      {hint && <p className="mt-1 text-sm text-soft">{hint}</p>}
    </div>
  );
}

/** A control with its name above it, small, as in a panel beside the page. */
export function Captioned({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="block">
      <span className="mb-1 block text-sm font-semibold text-soft">{label}</span>
      {children}
    </label>
  );
}

/** Yes or no, with its sentence beside it. */
export function Tick({ on, set, children }: { on: boolean; set: (on: boolean) => void; children: ReactNode }) {
  return (
    <label className="flex items-start gap-2">
      <input type="checkbox" className="mt-1 accent-action" checked={on} onChange={(e) => set(e.target.checked)} />
      <span>{children}</span>
    </label>
  );
}

export function NumberField({
  label,
  hint,
  value,
  set,
}: {
  label: string;
  hint?: string;
  value: number | null;
  set: (n: number | null) => void;
}) {
  return (
    <Labelled label={label} hint={hint}>
      {(id) => (
        <input
          id={id}
          className={`${INPUT} text-right`}
          inputMode="numeric"
          value={value ?? ''}
          onChange={(e) => {
            const digits = e.target.value.replace(/\D/g, '').slice(0, 5);
            set(digits === '' ? null : Number(digits));
          }}
        />
      )}
    </Labelled>
  );
}
