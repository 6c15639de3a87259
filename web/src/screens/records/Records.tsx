import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useRecords } from '../../api/queries';
import { Mark } from '../../parts/Mark';
import { Empty, Failing, Loading } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';
import { Views } from './Views';

const PART = 200;
/** What is searched for is counted up to here. */
const COUNTED = 1000;
const counted = (n: number) => (n > COUNTED ? `${COUNTED.toLocaleString()}+` : n.toLocaleString());

export function Records() {
  const [params, setParams] = useSearchParams();
  const text = params.get('text') ?? '';
  const only = params.get('only');
  const mirror = params.get('mirror');
  const records = useRecords(mirror, text, only, PART);
  const scroller = useRef<HTMLDivElement>(null);
  const first = records.data?.pages[0];
  const rows = records.data?.pages.flatMap((p) => p.rows) ?? [];
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 34,
    overscan: 15,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = records;
  useEffect(() => {
    if (hasNextPage && !isFetchingNextPage && last > rows.length - 40) void fetchNextPage();
  }, [last, rows.length, hasNextPage, isFetchingNextPage, fetchNextPage]);
  useEffect(() => scroller.current?.scrollTo({ top: 0 }), [mirror, text, only]);
  const choose = (what: 'only' | 'mirror', next: string | null) => {
    const to = new URLSearchParams(params);
    if (next) to.set(what, next);
    else to.delete(what);
    setParams(to);
  };
  const sides = first?.sides ?? [];
  const columns = `minmax(220px, 2fr) repeat(${sides.length}, minmax(130px, 1fr)) 130px 120px`;
  return (
    <div className="mx-auto flex h-full max-w-[1400px] flex-col px-5 pt-3">
      <div className="mb-2 flex items-baseline gap-3">
        <h1 className="text-lg font-semibold">Records</h1>
        <nav aria-label="Mirrors" className="flex gap-1">
          {first?.mirrors.map((m) => (
            <button
              key={m.key}
              type="button"
              aria-current={m.key === first.mirror ? 'page' : undefined}
              onClick={() => choose('mirror', m.key)}
              className={`border-b-2 px-2 py-0.5 ${m.key === first.mirror ? 'border-action font-semibold' : 'border-transparent hover:border-rule'} ${m.count === 0 ? 'text-soft' : ''}`}
            >
              {m.name}{' '}
              <span className="font-normal text-soft">
                {text || only ? counted(m.count) : m.count.toLocaleString()}
              </span>
            </button>
          ))}
        </nav>
        <span className="ml-auto flex gap-1" role="group" aria-label="Show">
          {(
            [
              [null, 'All'],
              ['conflict', 'In conflict'],
              ['held', 'Held'],
            ] as const
          ).map(([value, name]) => (
            <button
              key={name}
              type="button"
              aria-pressed={only === value}
              onClick={() => choose('only', value)}
              className={`rounded border px-2.5 py-0.5 ${only === value ? 'border-rule bg-sheet font-semibold' : 'border-transparent text-soft hover:text-ink'}`}
            >
              {name}
            </button>
          ))}
        </span>
      </div>
      {first && (
        <p className="mb-2 flex items-baseline gap-2 text-soft">
          {text && (
            <span>
              With “{text}”:{' '}
              <Link to={mirror ? `/records?mirror=${mirror}` : '/records'} className="text-action underline">
                show all
              </Link>
            </span>
          )}
          <Views params={params} />
          <a
            className="ml-auto text-action underline"
            href={`/api/records.csv?${new URLSearchParams({ mirror: first.mirror, ...(text ? { text } : {}), ...(only ? { only } : {}) }).toString()}`}
            download
          >
            CSV
          </a>
        </p>
      )}
      {records.isPending && <Loading what="the records" />}
      {records.isError && <Failing error={records.error} retry={() => void records.refetch()} />}
      {records.data && rows.length === 0 && (
        <Empty title={text || only ? 'No record fits.' : 'No record yet.'}>
          {text || only
            ? 'Search by a name, a telephone number, an e-mail address, or an id in any system; or show all again.'
            : 'Records appear when a mirror has run for the first time. Open Mirrors and run one.'}
        </Empty>
      )}
      {rows.length > 0 && (
        <div role="table" aria-label="Records" aria-rowcount={first?.total} className="flex min-h-0 flex-1 flex-col">
          <div
            role="row"
            className="grid border-t border-rule text-sm font-semibold text-soft"
            style={{ gridTemplateColumns: columns }}
          >
            <div role="columnheader" className="px-2 py-1.5">
              {first?.mirrorName}
            </div>
            {sides.map((s) => (
              <div key={s.index} role="columnheader" className="flex items-center gap-2 px-2 py-1.5">
                <SystemTile of={s} />
                {s.name}
              </div>
            ))}
            <div role="columnheader" className="px-2 py-1.5">
              State
            </div>
            <div role="columnheader" className="px-2 py-1.5 text-right">
              Changed
            </div>
          </div>
          <div ref={scroller} className="min-h-0 flex-1 overflow-auto border-y border-rule">
            <div className="relative" style={{ height: virtual.getTotalSize() }}>
              {items.map((item) => {
                const r = rows[item.index]!;
                return (
                  <Link
                    key={r.link}
                    role="row"
                    to={`/records/${r.link}`}
                    className="absolute inset-x-0 grid h-[34px] items-center border-b border-rule bg-sheet hover:brightness-[0.97]"
                    style={{ gridTemplateColumns: columns, transform: `translateY(${item.start}px)` }}
                  >
                    <span role="cell" className="truncate px-2 font-semibold">
                      {r.title}
                    </span>
                    {r.ids.map((id, i) => (
                      <span key={i} role="cell" className="truncate px-2">
                        {id ?? <span className="text-soft">not there</span>}
                      </span>
                    ))}
                    <span role="cell" className="flex gap-3 px-2">
                      {r.conflicts > 0 ? (
                        <Mark of="inConflict" word />
                      ) : r.holds > 0 ? (
                        <Mark of="held" word />
                      ) : (
                        <Mark of="agreed" word />
                      )}
                    </span>
                    <span role="cell" className="px-2 text-right text-soft">
                      <When at={r.changedAt} />
                    </span>
                  </Link>
                );
              })}
            </div>
          </div>
        </div>
      )}
    </div>
  );
}
