import type { ReactNode } from 'react';
import { Button } from './Button';

/** A page that has nothing yet says what will be here, and the first step towards it. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="border-y border-rule bg-sheet px-5 py-8">
      <p className="font-semibold">{title}</p>
      <div className="mt-1 max-w-[70ch] text-soft">{children}</div>
    </div>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <div role="status" className="px-1 py-6 text-soft">
      Reading {what}…
    </div>
  );
}

export function Failing({ error, retry }: { error: Error; retry?: () => void }) {
  return (
    <div role="alert" className="flex items-start gap-4 border-l-4 border-refused bg-sheet px-4 py-3">
      <p className="max-w-[80ch]">{error.message}</p>
      {retry && <Button onClick={retry}>Try again</Button>}
    </div>
  );
}

/** The answer to something the person did: why it could not be done. */
export function Notice({ children }: { children: ReactNode }) {
  return (
    <p role="alert" className="border-l-4 border-held bg-held-tint px-3 py-2">
      {children}
    </p>
  );
}
