import type { ReactNode } from 'react';
import type { MirrorPage, Side } from '../../api/client';
import { SystemTile } from '../../parts/SystemTile';

type WithFlows = { cells: ({ gives: boolean; takes: boolean } | null)[] };

/** What each side is in the mirror, and what it may do: to read. */
export function Sides({ page: { mirror, fields, inPlainWords } }: { page: MirrorPage }) {
  return (
    <ul className="border-y border-rule bg-sheet">
      {mirror.sides.map((s) => (
        <SideRow key={s.index} side={s} fields={fields}>
          <ul className="col-span-2">
            {inPlainWords
              .filter((sentence) => sentence.includes(s.name))
              .map((sentence) => (
                <li key={sentence}>{sentence}</li>
              ))}
          </ul>
        </SideRow>
      ))}
    </ul>
  );
}

/** One side: its system, its collection, how many fields go which way, and beside that what the step has to say or to set. */
export function SideRow({ side, fields, children }: { side: Side; fields: WithFlows[]; children: ReactNode }) {
  const count = (way: 'gives' | 'takes') => fields.filter((f) => f.cells[side.index]?.[way]).length;
  return (
    <li className="grid grid-cols-[28px_170px_130px_minmax(0,1fr)_minmax(0,1fr)] gap-3 border-b border-rule px-3 py-3 last:border-b-0">
      <SystemTile of={side} />
      <div>
        <div className="font-semibold">{side.name}</div>
        <div className="text-sm text-soft">{side.collection}</div>
      </div>
      <div>
        gives {count('gives')} fields
        <br />
        takes {count('takes')} fields
      </div>
      {children}
    </li>
  );
}
