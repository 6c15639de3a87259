import { Link } from 'react-router';
import type { Hold, Session, Undone } from '../../api/client';
import { useHeld, useRelease, useReleaseUndone } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';

/** Records set aside, grouped by what is wrong, while the rest goes on. */
export function Held({ session }: { session: Session }) {
  const held = useHeld();
  const release = useRelease();
  const groups = Map.groupBy(
    held.data?.holds ?? [],
    (h) =>
      `${h.mirrorName}: ${h.answer ? `refused by ${h.side.name}` : h.field ? `${h.field} in ${h.side.name}` : h.side.name}`,
  );
  return (
    <div className="mx-auto max-w-[1200px] px-5 py-4">
      <h1 className="mb-2 text-lg font-semibold">Held</h1>
      {held.isPending && <Loading what="what is held" />}
      {held.isError && <Failing error={held.error} retry={() => void held.refetch()} />}
      {held.data?.holds.length === 0 && held.data.undone.length === 0 && (
        <Empty title="Nothing is held.">
          A record that can't be read, or that a system refuses, is set aside here with the reason and what to do about
          it. The others go on.
        </Empty>
      )}
      {release.isError && <Notice>{release.error.message}</Notice>}
      {held.data && held.data.undone.length > 0 && (
        <UndoneRuns runs={held.data.undone} mayRelease={session.role !== 'reader'} />
      )}
      {[...groups].map(([name, holds]) => (
        <section key={name} className="mb-5">
          <h2 className="flex justify-between border-b border-rule py-1.5 font-semibold">
            {name} <span className="text-soft">{holds.length}</span>
          </h2>
          <ul className="bg-sheet">
            {holds.map((h) => (
              <HoldLine
                key={h.id}
                hold={h}
                release={() => release.mutate(h.id)}
                mayRelease={session.role !== 'reader'}
              />
            ))}
          </ul>
        </section>
      ))}
    </div>
  );
}

function UndoneRuns({ runs, mayRelease }: { runs: Undone[]; mayRelease: boolean }) {
  const release = useReleaseUndone();
  return (
    <section className="mb-5">
      <h2 className="flex justify-between border-b border-rule py-1.5 font-semibold">
        Taken back <span className="text-soft">{runs.length}</span>
      </h2>
      <ul className="bg-sheet">
        {runs.map((u) => (
          <li
            key={u.run}
            className="grid grid-cols-[minmax(0,1fr)_100px_auto] items-start gap-2 border-b border-rule px-2 py-2.5"
          >
            <div>
              <Link to={`/runs/${u.run}`} className="font-semibold hover:underline">
                {u.mirrorName}, run {u.run}
              </Link>
              <div>
                {u.records === 1 ? 'One record is' : `${u.records.toLocaleString()} records are`} left alone since{' '}
                {u.who ? `${u.who} took the run back` : 'it was taken back'}.
              </div>
              <div className="text-sm text-soft">
                Put right first what led to the run. Once {u.records === 1 ? 'it goes' : 'they go'} on, the next run
                writes what is still so.
              </div>
            </div>
            <span className="text-soft">
              <When at={u.since} />
            </span>
            <Button onClick={() => release.mutate(u.run)} disabled={!mayRelease || release.isPending}>
              Let {u.records === 1 ? 'it' : 'them'} go on
            </Button>
          </li>
        ))}
      </ul>
      {release.isError && <Notice>{release.error.message}</Notice>}
    </section>
  );
}

function HoldLine({ hold: h, release, mayRelease }: { hold: Hold; release: () => void; mayRelease: boolean }) {
  return (
    <li className="grid grid-cols-[24px_minmax(0,1fr)_100px_auto] items-start gap-2 border-b border-rule px-2 py-2.5">
      <SystemTile of={h.side} />
      <div>
        <div className="font-semibold">
          {h.link ? (
            <Link to={`/records/${h.link}`} className="hover:underline">
              {h.title}
            </Link>
          ) : (
            h.title
          )}
        </div>
        <div className="max-w-[90ch] break-words">{h.reason}</div>
        {h.answer && (
          <div className="text-soft">
            {h.side.name} said: “{h.answer}”
          </div>
        )}
        <div className="text-sm text-soft">
          Correct it where it is wrong: the next run takes it up by itself. Or try it again as it is.
        </div>
      </div>
      <span className="text-soft">
        <When at={h.since} />
      </span>
      <Button onClick={release} disabled={!mayRelease}>
        Try again
      </Button>
    </li>
  );
}
