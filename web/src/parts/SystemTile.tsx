import type { Side } from '../api/client';

/** A system's monogram in its own colour, the same on every screen. */
export function SystemTile({ of }: { of: Pick<Side, 'name' | 'monogram' | 'colour'> }) {
  return (
    <span
      role="img"
      aria-label={of.name}
      title={of.name}
      className="inline-flex size-5 shrink-0 items-center justify-center rounded text-[10.5px] leading-none font-bold text-white"
      style={{ backgroundColor: of.colour }}
    >
      {of.monogram}
    </span>
  );
}
