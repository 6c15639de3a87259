import type { Side } from '../../api/client';

const WIDTH = 5;
const HALF = 14;

/** How many values were written to each of the first two sides, hour by hour: one above the line, the other below. */
export function Moved({ hours, sides }: { hours: number[][]; sides: Side[] }) {
  const most = Math.max(1, ...hours.flat());
  const words = sides
    .map((s, i) => `${s.name}: ${(hours[i] ?? []).reduce((a, b) => a + b, 0)} values in 24 hours`)
    .join(', ');
  return (
    <svg role="img" aria-label={words} width={24 * WIDTH} height={2 * HALF + 1} className="block">
      <title>{words}</title>
      <line x1="0" x2={24 * WIDTH} y1={HALF} y2={HALF} className="stroke-rule" />
      {hours.slice(0, 2).map((counts, side) =>
        counts.map((count, hour) => {
          const height = count === 0 ? 0 : Math.max(1.5, (count / most) * (HALF - 1));
          return (
            <rect
              key={`${side}-${hour}`}
              x={hour * WIDTH}
              y={side === 0 ? HALF - height : HALF + 0.5}
              width={WIDTH - 1}
              height={height}
              fill={sides[side]?.colour}
            />
          );
        }),
      )}
    </svg>
  );
}
