import type { Field, Line, LineValue } from '../../api/client';
import type { SpineRow } from '../../parts/Spine';

export const many = (n: number, what: string) => `${n.toLocaleString()} ${what}${n === 1 ? '' : 's'}`;

/** One line of a record, as a row of its own. */
export function lineRow(f: Field, line: Line): SpineRow {
  return {
    key: `${f.name} ${line.key}`,
    label: `line ${line.key}`,
    group: f.name,
    spine: line.agreed.length > 0 ? <LineValues of={line.agreed} /> : <span className="text-soft">not agreed yet</span>,
    cells: f.cells.map((c, side) =>
      c === null
        ? null
        : {
            main: line.cells[side] ? (
              <LineValues of={line.cells[side].values} />
            ) : (
              <span className="text-soft">{f.lines?.some((l) => l.cells[side]) ? 'no such line' : 'empty'}</span>
            ),
            gives: false,
            takes: false,
            isOpen: true,
            differs: line.cells[side]?.values.some((v) => v.differs),
          },
    ),
  };
}

/** What a line says, value by value. */
function LineValues({ of }: { of: LineValue[] }) {
  return (
    <span className="font-normal">
      {of.map((v, i) => (
        <span key={v.name} className="mr-1 inline-block max-w-full">
          <span className="text-sm text-soft">{v.name}</span>{' '}
          <span className={v.differs ? 'font-semibold' : ''}>{v.value}</span>
          {i < of.length - 1 && ','}
        </span>
      ))}
    </span>
  );
}
