import { Link } from 'react-router';
import type { Session } from '../../api/client';
import { useMirrors } from '../../api/queries';
import { Empty, Failing, Loading } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';

const QUIET = 'inline-flex h-[30px] items-center rounded border border-rule bg-sheet px-3 font-semibold';

export function Mirrors({ session }: { session: Session }) {
  const mirrors = useMirrors();
  return (
    <div className="mx-auto max-w-[1200px] px-5 py-4">
      <div className="mb-2 flex items-center justify-between">
        <h1 className="text-lg font-semibold">Mirrors</h1>
        {session.role === 'administrator' && (
          <span className="flex items-center gap-2">
            {mirrors.data && mirrors.data.length > 0 && (
              <a href="/api/mirrors/file" download="mirrors.yaml" className={QUIET}>
                Take out as a file
              </a>
            )}
            <Link to="/mirrors/file" className={QUIET}>
              Bring in a file
            </Link>
            <Link
              to="/mirrors/new"
              className="inline-flex h-[30px] items-center rounded border border-action bg-action px-3 font-semibold text-on-action"
            >
              New mirror
            </Link>
          </span>
        )}
      </div>
      {mirrors.isPending && <Loading what="the mirrors" />}
      {mirrors.isError && <Failing error={mirrors.error} retry={() => void mirrors.refetch()} />}
      {mirrors.data?.length === 0 && (
        <Empty title="No mirror yet.">A mirror keeps one record type the same in two or more systems.</Empty>
      )}
      {mirrors.data?.map((m) => (
        <Link
          key={m.key}
          to={`/mirrors/${m.key}`}
          className="grid grid-cols-[minmax(160px,1fr)_minmax(320px,2fr)_110px_110px_130px] items-center gap-4 border-t border-rule bg-sheet px-3 py-3 last:border-b hover:brightness-[0.98]"
        >
          <span>
            <span className="block font-semibold">{m.name}</span>
            <span className="text-sm text-soft">
              {m.version === 0 ? 'draft, not published yet' : `${m.state}, version ${m.version}`}
            </span>
          </span>
          <span className="flex flex-wrap items-center gap-x-5 gap-y-1">
            {m.sides.map((s) => (
              <span key={s.index} className="flex items-center gap-2">
                <SystemTile of={s} />
                <span>
                  {s.name} <span className="text-sm text-soft">{s.collection}</span>
                </span>
              </span>
            ))}
          </span>
          <span className="text-right">{m.fields} fields</span>
          <span className="text-right">{m.records.toLocaleString()} records</span>
          <span className="text-right text-soft">
            {m.lastRun ? (
              m.lastRun.state === 'running' ? (
                'running'
              ) : (
                <When at={m.lastRun.endedAt ?? m.lastRun.startedAt} />
              )
            ) : (
              'never run'
            )}
          </span>
        </Link>
      ))}
    </div>
  );
}
