import { Link } from 'react-router';
import { usePlanned } from '../../api/queries';
import { Mark } from '../../parts/Mark';
import { Empty, Failing, Loading } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';

/** The writes of a run, one line each: what a rehearsal would have written, or what a paused run waits to. */
export function Planned({ run, title }: { run: number; title: string }) {
  const planned = usePlanned(run);
  if (planned.isPending) return <Loading what="what it would write" />;
  if (planned.isError) return <Failing error={planned.error} retry={() => void planned.refetch()} />;
  const { writes, sides, total } = planned.data;
  return (
    <>
      <h2 className="mt-5 border-b border-rule py-1.5 font-semibold">
        {title} <span className="font-normal text-soft">{total.toLocaleString()}</span>
      </h2>
      {total === 0 && <Empty title="Nothing." />}
      <ul className="bg-sheet">
        {writes.map((w, n) => (
          <li
            key={n}
            className="grid grid-cols-[110px_24px_260px_minmax(0,1fr)] items-baseline gap-2 border-b border-rule px-2 py-[7px]"
          >
            {w.kind === 'create' ? (
              <Mark of="created" word />
            ) : w.kind === 'remove' ? (
              <span className="font-semibold text-refused">− removed</span>
            ) : (
              <Mark of="updated" word />
            )}
            <SystemTile of={sides[w.side]!} />
            {w.link ? (
              <Link to={`/records/${w.link}`} className="truncate font-semibold hover:underline" title={w.title}>
                {w.title}
              </Link>
            ) : (
              <span className="truncate font-semibold" title={w.title}>
                {w.title}
              </span>
            )}
            <span className="truncate">
              {w.kind === 'change'
                ? w.fields.map((f) => `${f.field}: ${f.now || 'empty'} → ${f.after || 'empty'}`).join(', ')
                : w.kind === 'create'
                  ? w.fields
                      .filter((f) => f.after)
                      .map((f) => f.after)
                      .join(', ')
                  : w.recordId}
            </span>
          </li>
        ))}
      </ul>
      {total > writes.length && (
        <p className="mt-2 text-soft">
          The first {writes.length} of {total.toLocaleString()} are shown.
        </p>
      )}
    </>
  );
}
