import type { ReactNode } from 'react';

export const INPUT = 'h-[30px] w-full rounded border border-rule bg-sheet px-2 placeholder:text-soft';

/** A control with its name above it. */
export function Labelled({ label, children }: { label: string; children: ReactNode }) {
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
