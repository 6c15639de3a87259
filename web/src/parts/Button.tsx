import type { ButtonHTMLAttributes, ReactNode } from 'react';

type Props = ButtonHTMLAttributes<HTMLButtonElement> & { primary?: boolean; keyHint?: string; children: ReactNode };

export function Button({ primary = false, keyHint, children, className = '', ...rest }: Props) {
  return (
    <button
      type="button"
      {...rest}
      aria-keyshortcuts={keyHint}
      className={`inline-flex h-[30px] items-center gap-2 rounded border px-3 font-semibold whitespace-nowrap disabled:opacity-50 ${
        primary
          ? 'border-action bg-action text-on-action hover:opacity-90'
          : 'border-rule bg-sheet text-ink hover:border-soft'
      } ${className}`}
    >
      {children}
      {keyHint && <Key primary={primary}>{keyHint}</Key>}
    </button>
  );
}

export function Key({ children, primary = false }: { children: ReactNode; primary?: boolean }) {
  return (
    <kbd
      aria-hidden="true"
      className={`rounded-[3px] border px-1.5 font-mono text-[11px] leading-4 ${primary ? 'border-on-action/40' : 'border-rule text-soft'}`}
    >
      {children}
    </kbd>
  );
}
