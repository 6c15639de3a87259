import type { ReactNode } from 'react';
import { Button } from './Button';
import { Notice } from './States';

/** The end of a form: the button that keeps what it says, and what came of it. */
export function Keep({
  saved,
  disabled = false,
  children,
}: {
  saved: { isPending: boolean; isSuccess: boolean; error: Error | null };
  disabled?: boolean;
  children: ReactNode;
}) {
  return (
    <div className="mt-3">
      {saved.error && <Notice>{saved.error.message}</Notice>}
      <div className="mt-2 flex items-center gap-3">
        <Button primary type="submit" disabled={disabled || saved.isPending}>
          {children}
        </Button>
        {saved.isSuccess && (
          <span role="status" className="text-action">
            Kept.
          </span>
        )}
      </div>
    </div>
  );
}
