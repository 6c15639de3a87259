import { useVirtualizer } from '@tanstack/react-virtual';
import { Fragment, useRef, type DragEvent, type ReactNode } from 'react';
import type { Side } from '../api/client';
import { SystemTile } from './SystemTile';

/** What a side's cell shows. */
export type SpineCell = {
  /** The value, or the field's name. */
  main: ReactNode;
  /** A second, softer line. */
  below?: ReactNode;
  gives: boolean;
  takes: boolean;
  /** True when it does not say what is agreed: marked, and never by colour alone. */
  differs?: boolean;
  /** Set beside the value, such as the key that takes it. */
  beside?: ReactNode;
  /** Makes the mark of which way values go something to press: what it does then. */
  onFlow?: () => void;
  /** True for a cell that holds nothing yet: it has no mark. */
  isOpen?: boolean;
  /** Takes what is dropped on it. */
  onDrop?: (dragged: string) => void;
};

export type SpineRow = {
  key: string;
  /** The row's name, in a column of its own at the left; left out where the spine itself names the row. */
  label?: ReactNode;
  tone?: 'conflict' | 'chosen';
  /** Rows with the same group, one after another, are settled as one. */
  group?: string | null;
  spine: ReactNode;
  spineBelow?: ReactNode;
  spineBeside?: ReactNode;
  /** One for each side in the mirror's order; null where the side does not keep the field. */
  cells: (SpineCell | null)[];
  onOpen?: () => void;
  /** Can be dragged onto another row, by this name. */
  drag?: string;
  onDrop?: (dragged: string) => void;
};

export type SideHead = { side: Side; below?: ReactNode };

const VIRTUAL_FROM = 80;

/**
 * The picture that everything here looks at: the agreed record in a tinted column, the spine, and the sides in columns to its
 * left and right, always in the mirror's own order. One field a row. For 2 to 5 sides and any number of rows.
 */
export function Spine(props: {
  sides: SideHead[];
  title: ReactNode;
  titleBelow?: ReactNode;
  rows: SpineRow[];
  labelled?: boolean;
  caption: string;
  /** How much room the page needs above and below a long table, in pixels. */
  around?: number;
}) {
  const { sides, rows, labelled = false, around = 230 } = props;
  const left = Math.max(1, Math.floor(sides.length / 2));
  const columns = `${labelled ? 'minmax(96px, 122px) ' : ''}repeat(${left}, minmax(150px, 1fr)) minmax(170px, 0.95fr) repeat(${sides.length - left}, minmax(150px, 1fr))`;
  const scroller = useRef<HTMLDivElement>(null);
  const isLong = rows.length > VIRTUAL_FROM;
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (rows[i]?.spineBelow || rows[i]?.cells.some((c) => c?.below) ? 45 : 34),
    overscan: 12,
    enabled: isLong,
  });
  const row = (r: SpineRow, i: number) => (
    <Row key={r.key} row={r} index={i} rows={rows} left={left} columns={columns} labelled={labelled} sides={sides} />
  );
  return (
    <div
      ref={scroller}
      role="table"
      aria-label={props.caption}
      aria-rowcount={rows.length + 1}
      className={isLong ? 'overflow-auto' : 'overflow-x-auto'}
      style={isLong ? { maxHeight: `calc(100vh - ${around}px)` } : undefined}
    >
      <div role="row" className="sticky top-0 z-10 grid bg-ground" style={{ gridTemplateColumns: columns }}>
        {labelled && (
          <div role="columnheader">
            <span className="sr-only">Field</span>
          </div>
        )}
        {sides.slice(0, left).map((s) => (
          <Head key={s.side.index} head={s} />
        ))}
        <div role="columnheader" className="border-t-2 border-spine-ink bg-spine px-2.5 py-2 text-spine-ink">
          <div className="font-semibold">{props.title}</div>
          <div className="text-sm">{props.titleBelow}</div>
        </div>
        {sides.slice(left).map((s) => (
          <Head key={s.side.index} head={s} />
        ))}
      </div>
      {isLong ? (
        <div className="relative border-t border-rule" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => (
            <div
              key={item.key}
              ref={virtual.measureElement}
              data-index={item.index}
              className="absolute inset-x-0"
              style={{ transform: `translateY(${item.start}px)` }}
            >
              {row(rows[item.index]!, item.index)}
            </div>
          ))}
        </div>
      ) : (
        <div className="border-t border-rule">{rows.map(row)}</div>
      )}
    </div>
  );
}

function Head({ head }: { head: SideHead }) {
  return (
    <div role="columnheader" className="flex min-w-0 gap-2 px-2.5 py-2">
      <SystemTile of={head.side} />
      <div className="min-w-0">
        <div className="truncate font-semibold">{head.side.name}</div>
        <div className="truncate text-sm text-soft">{head.below ?? head.side.collection}</div>
      </div>
    </div>
  );
}

function Row(props: {
  row: SpineRow;
  index: number;
  rows: SpineRow[];
  left: number;
  columns: string;
  labelled: boolean;
  sides: SideHead[];
}) {
  const { row, left } = props;
  const grouped = row.group ? edge(props.rows, props.index) : null;
  const tint = row.tone === 'conflict' ? 'bg-conflict-tint' : 'bg-sheet';
  return (
    <div
      role="row"
      aria-rowindex={props.index + 2}
      className={`grid border-b border-rule data-over:border-t-2 data-over:border-t-action ${row.onOpen ? 'cursor-pointer hover:brightness-[0.98]' : ''}`}
      style={{ gridTemplateColumns: props.columns }}
      onClick={row.onOpen}
      {...dropping(row.onDrop)}
    >
      {props.labelled && (
        <div
          role="rowheader"
          className={`relative min-w-0 py-[7px] pr-2 ${grouped ? 'pl-5' : 'pl-1'} ${row.tone === 'conflict' ? 'bg-conflict-tint text-conflict' : 'text-soft'}`}
        >
          <GroupLine part={grouped} name={row.group} />
          {row.label}
        </div>
      )}
      {row.cells.slice(0, left).map((cell, i) => (
        <SideCell key={i} cell={cell} at="left" tint={tint} side={props.sides[i]!.side} />
      ))}
      <div
        role="cell"
        draggable={row.drag !== undefined}
        onDragStart={(e) => {
          e.dataTransfer.setData('text/plain', row.drag ?? '');
          e.dataTransfer.effectAllowed = 'move';
        }}
        className={`relative min-w-0 py-[7px] pr-2.5 ${grouped && !props.labelled ? 'pl-5' : 'pl-2.5'} ${row.tone === 'conflict' ? 'bg-conflict-tint' : row.tone === 'chosen' ? 'bg-spine shadow-[inset_3px_0_0_var(--spine-ink)]' : 'bg-spine'}`}
      >
        {!props.labelled && <GroupLine part={grouped} name={row.group} />}
        <div className="flex items-start justify-between gap-2">
          <div className="min-w-0 break-words">{breakable(row.spine)}</div>
          {row.spineBeside}
        </div>
        {row.spineBelow && <div className="text-sm break-words text-soft">{row.spineBelow}</div>}
      </div>
      {row.cells.slice(left).map((cell, i) => (
        <SideCell key={i} cell={cell} at="right" tint={tint} side={props.sides[left + i]!.side} />
      ))}
    </div>
  );
}

function SideCell({
  cell,
  at,
  tint,
  side,
}: {
  cell: SpineCell | null;
  at: 'left' | 'right';
  tint: string;
  side: Side;
}) {
  const flow = cell && !cell.isOpen && (
    <Flow gives={cell.gives} takes={cell.takes} at={at} side={side.name} press={cell.onFlow} />
  );
  return (
    <div
      role="cell"
      {...dropping(cell?.onDrop)}
      className={`flex min-w-0 gap-1 data-over:outline-2 data-over:-outline-offset-2 data-over:outline-action ${tint} py-[7px] ${at === 'left' ? 'pr-1 pl-2.5' : 'pr-2.5 pl-1'}`}
    >
      {at === 'right' && <span className="flex h-5 w-7 shrink-0 items-center justify-center">{flow}</span>}
      <div className="min-w-0 flex-1">
        {cell ? (
          <>
            <div className="flex items-start justify-between gap-2">
              <span className={`min-w-0 break-words ${cell.differs ? 'font-semibold' : ''}`}>
                {cell.differs && (
                  <span className="mr-1 text-held" title="Not what is agreed">
                    <span aria-hidden="true">≁</span>
                    <span className="sr-only">differs: </span>
                  </span>
                )}
                {breakable(cell.main)}
              </span>
              {cell.beside}
            </div>
            {cell.below && <div className="text-sm break-words text-soft">{cell.below}</div>}
          </>
        ) : (
          <span className="text-soft">not kept here</span>
        )}
      </div>
      {at === 'left' && <span className="flex h-5 w-7 shrink-0 items-center justify-center">{flow}</span>}
    </div>
  );
}

/** A long address breaks where a reader would break it: after its @ and before its dots. */
function breakable(content: ReactNode): ReactNode {
  if (typeof content !== 'string' || !/\S{24}/.test(content)) return content;
  return content.split(/(?<=@)|(?=\.)/).map((part, i) => (
    <Fragment key={i}>
      {i > 0 && <wbr />}
      {part}
    </Fragment>
  ));
}

/** Whether a side gives a field (points at the spine), takes it (points away from it), both or neither. */
function Flow({
  gives,
  takes,
  at,
  side,
  press,
}: {
  gives: boolean;
  takes: boolean;
  at: 'left' | 'right';
  side: string;
  press?: () => void;
}) {
  const words =
    gives && takes
      ? `${side} gives and takes`
      : gives
        ? `${side} gives`
        : takes
          ? `${side} takes`
          : `${side} neither gives nor takes`;
  const towards = at === 'left' ? 'M0 0v8l7-4z' : 'M7 0v8L0 4z';
  const away = at === 'left' ? 'M7 0v8L0 4z' : 'M0 0v8l7-4z';
  const drawn = (
    <svg
      viewBox="0 0 16 8"
      className="block h-2 w-4 text-spine-ink"
      {...(press ? { 'aria-hidden': true } : { role: 'img', 'aria-label': words })}
    >
      {!press && <title>{words}</title>}
      {gives && takes ? (
        <>
          <path d="M0 0v8l7-4z" fill="currentColor" />
          <path d="M7 0v8L0 4z" transform="translate(8.5 0)" fill="currentColor" />
        </>
      ) : gives || takes ? (
        <path d={gives ? towards : away} transform="translate(4.5 0)" fill="currentColor" />
      ) : (
        <circle cx="8" cy="4" r="1.4" fill="currentColor" />
      )}
    </svg>
  );
  return press ? (
    <button
      type="button"
      tabIndex={-1}
      title={`${words}: press to change (keys g and t)`}
      aria-label={`${words}; change`}
      onClick={(e) => {
        e.stopPropagation();
        press();
      }}
      className="flex size-6 items-center justify-center rounded hover:bg-spine"
    >
      {drawn}
    </button>
  ) : (
    drawn
  );
}

/** What a part of the table needs to take what is dropped on it. */
function dropping(onDrop?: (dragged: string) => void) {
  if (!onDrop) return {};
  return {
    onDragOver: (e: DragEvent<HTMLDivElement>) => {
      e.preventDefault();
      e.stopPropagation();
      e.currentTarget.dataset.over = 'true';
    },
    onDragLeave: (e: DragEvent<HTMLDivElement>) => delete e.currentTarget.dataset.over,
    onDrop: (e: DragEvent<HTMLDivElement>) => {
      e.preventDefault();
      e.stopPropagation();
      delete e.currentTarget.dataset.over;
      onDrop(e.dataTransfer.getData('text/plain'));
    },
  };
}

function edge(rows: SpineRow[], i: number): 'first' | 'middle' | 'last' | null {
  const before = rows[i - 1]?.group === rows[i]!.group;
  const after = rows[i + 1]?.group === rows[i]!.group;
  return before && after ? 'middle' : after ? 'first' : before ? 'last' : null;
}

/** A line that holds the rows of a field group together. */
function GroupLine({ part, name }: { part: 'first' | 'middle' | 'last' | null; name?: string | null }) {
  if (!part) return null;
  const shape =
    part === 'first' ? 'top-1/2 bottom-0 border-t-2' : part === 'last' ? 'top-0 bottom-1/2 border-b-2' : 'inset-y-0';
  return (
    <span title={`${name}: settled as one`}>
      <span className="sr-only">{name}: </span>
      <span aria-hidden="true" className={`absolute left-1 w-2 border-l-2 border-bar ${shape}`} />
    </span>
  );
}
