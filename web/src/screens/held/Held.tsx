import { useState } from 'react';
import { Link } from 'react-router';
import type { Hold, LeftOut, Session, Undone } from '../../api/client';
import { useHeld, useLeaveOut, useReleaseTogether, useReleaseUndone, useTakeIn } from '../../api/queries';
import { PutRight } from './PutRight';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';

const SHOWN = 5;

/** Records set aside, those that are held for the same together, while the rest goes on. */
export function Held({ session }: { session: Session }) {
  const held = useHeld();
  const mayAct = session.role !== 'reader';
  const groups = Map.groupBy(
    held.data?.holds ?? [],
    (h) => `${h.mirror} ${h.side.index} ${h.field ?? ''} ${h.pattern}`,
  );
  const sorted = [...groups.values()].sort((a, b) => b.length - a.length);
  return (
    <div className="mx-auto max-w-[1200px] px-5 py-4">
      <h1 className="mb-2 text-lg font-semibold">
        Held{' '}
        {held.data && held.data.total > 0 && (
          <span className="font-normal text-soft">
            {held.data.total.toLocaleString()} {held.data.total === 1 ? 'record' : 'records'}, for {sorted.length}{' '}
            {sorted.length === 1 ? 'reason' : 'reasons'}
          </span>
        )}
      </h1>
      {held.isPending && <Loading what="what is held" />}
      {held.isError && <Failing error={held.error} retry={() => void held.refetch()} />}
      {held.data?.holds.length === 0 && held.data.undone.length === 0 && (
        <Empty title="Nothing is held.">
          A record that can't be read, or that a system refuses, is set aside here with the reason and what to do about
          it. The others go on.
        </Empty>
      )}
      {held.data && held.data.undone.length > 0 && <UndoneRuns runs={held.data.undone} mayRelease={mayAct} />}
      {sorted.map((holds) => (
        <Reason
          key={`${holds[0]!.mirror} ${holds[0]!.side.index} ${holds[0]!.pattern}`}
          holds={holds}
          mayAct={mayAct}
        />
      ))}
      {held.data && held.data.total > held.data.holds.length && (
        <p className="text-soft">
          The {held.data.holds.length.toLocaleString()} that are held longest are shown, of{' '}
          {held.data.total.toLocaleString()}.
        </p>
      )}
      {held.data && held.data.leftOut.length > 0 && <LeftOutList rows={held.data.leftOut} mayAct={mayAct} />}
    </div>
  );
}

/** Records that are held for the same: one fix may free them all. */
function Reason({ holds, mayAct }: { holds: Hold[]; mayAct: boolean }) {
  const release = useReleaseTogether();
  const [all, setAll] = useState(false);
  const [leaving, setLeaving] = useState<number[] | null>(null);
  const first = holds[0]!;
  const values = [
    ...Map.groupBy(
      holds.filter((h) => h.value),
      (h) => h.value!,
    ),
  ].sort((a, b) => b[1].length - a[1].length);
  const shown = all ? holds : holds.slice(0, SHOWN);
  const isOne = holds.length === 1;
  return (
    <section className="mb-6" aria-label={`${first.mirrorName}: ${first.pattern}`}>
      <div className="flex items-start gap-3 border-b border-rule py-1.5">
        <SystemTile of={first.side} />
        <div className="min-w-0 flex-1">
          <h2 className="font-semibold break-words">{first.pattern}</h2>
          <p className="text-sm text-soft">
            {first.mirrorName} · {first.answer ? `refused by ${first.side.name}` : first.side.name}
            {first.field && ` · ${first.field}`}
            {values.length > 1 &&
              ` · ${values
                .slice(0, 6)
                .map(([value, of]) => `“${value}” ${of.length.toLocaleString()}`)
                .join(', ')}${values.length > 6 ? ' …' : ''}`}
          </p>
        </div>
        <span className="pt-0.5 font-semibold tabular-nums">{holds.length.toLocaleString()}</span>
        <Button disabled={!mayAct || release.isPending} onClick={() => release.mutate(holds.map((h) => h.id))}>
          {isOne ? 'Try it again' : 'Try all again'}
        </Button>
        <Button disabled={!mayAct} onClick={() => setLeaving(holds.map((h) => h.id))}>
          {isOne ? 'Leave it out…' : 'Leave all out…'}
        </Button>
      </div>
      {release.isError && <Notice>{release.error.message}</Notice>}
      {leaving && <LeaveOut holds={leaving} done={() => setLeaving(null)} />}
      <ul className="bg-sheet">
        {shown.map((h) => (
          <HoldLine
            key={h.id}
            hold={h}
            alone={isOne}
            release={() => release.mutate([h.id])}
            leave={() => setLeaving([h.id])}
            mayAct={mayAct}
          />
        ))}
      </ul>
      {holds.length > SHOWN && (
        <button type="button" className="mt-1 font-semibold text-action hover:underline" onClick={() => setAll(!all)}>
          {all ? 'Show fewer' : `Show the other ${(holds.length - SHOWN).toLocaleString()}`}
        </button>
      )}
      <p className="mt-1 text-sm text-soft">
        Put it right, here or where it is wrong: the next run takes {isOne ? 'it' : 'them'} up by itself. Or let{' '}
        {isOne ? 'it' : 'them'} be tried again as {isOne ? 'it is' : 'they are'}.
      </p>
    </section>
  );
}

function LeaveOut({ holds, done }: { holds: number[]; done: () => void }) {
  const leave = useLeaveOut();
  const [why, setWhy] = useState('');
  const many = holds.length === 1 ? 'This record' : `These ${holds.length.toLocaleString()} records`;
  return (
    <form
      className="flex items-end gap-2 border-b border-rule bg-held-tint px-3 py-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        leave.mutate({ holds, why }, { onSuccess: done });
      }}
    >
      <label className="flex-1">
        <span className="mb-1 block">
          {many} will be left out for good: no run looks at {holds.length === 1 ? 'it' : 'them'} until somebody takes{' '}
          {holds.length === 1 ? 'it' : 'them'} in again. Why?
        </span>
        <input
          className="h-[30px] w-full rounded border border-rule bg-sheet px-2.5"
          value={why}
          maxLength={500}
          autoFocus
          onChange={(e) => setWhy(e.target.value)}
          onKeyDown={(e) => e.key === 'Escape' && done()}
        />
        {leave.isError && <span className="mt-1 block text-refused">{leave.error.message}</span>}
      </label>
      <Button onClick={done}>Cancel</Button>
      <Button primary type="submit" disabled={why.trim() === '' || leave.isPending}>
        Leave {holds.length === 1 ? 'it' : 'them'} out
      </Button>
    </form>
  );
}

function LeftOutList({ rows, mayAct }: { rows: LeftOut[]; mayAct: boolean }) {
  const take = useTakeIn();
  return (
    <section className="mt-8" aria-label="Left out">
      <h2 className="border-b border-rule py-1.5 font-semibold">
        Left out for good <span className="font-normal text-soft">{rows.length.toLocaleString()}</span>
      </h2>
      {take.isError && <Notice>{take.error.message}</Notice>}
      <ul className="bg-sheet">
        {rows.map((r) => (
          <li
            key={r.id}
            className="grid grid-cols-[24px_minmax(0,1fr)_minmax(0,1fr)_auto_auto] items-start gap-2 border-b border-rule px-2 py-2"
          >
            <SystemTile of={r.side} />
            <span className="truncate" title={r.reason}>
              {r.link ? (
                <Link to={`/records/${r.link}`} className="font-semibold hover:underline">
                  {r.title}
                </Link>
              ) : (
                <span className="font-semibold">{r.title}</span>
              )}{' '}
              <span className="text-soft">{r.mirrorName}</span>
            </span>
            <span className="break-words">{r.why}</span>
            <span className="text-soft">
              {r.who}, <When at={r.at} />
            </span>
            <Button disabled={!mayAct || take.isPending} onClick={() => take.mutate(r.id)}>
              Take it in again
            </Button>
          </li>
        ))}
      </ul>
    </section>
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

function HoldLine({
  hold: h,
  alone,
  release,
  leave,
  mayAct,
}: {
  hold: Hold;
  alone: boolean;
  release: () => void;
  leave: () => void;
  mayAct: boolean;
}) {
  const [correcting, setCorrecting] = useState(false);
  return (
    <li className="grid grid-cols-[minmax(0,240px)_minmax(0,1fr)_90px_auto] items-start gap-3 border-b border-rule px-2 py-2">
      <div className="truncate font-semibold" title={h.title}>
        {h.link ? (
          <Link to={`/records/${h.link}`} className="hover:underline">
            {h.title}
          </Link>
        ) : (
          h.title
        )}
      </div>
      <div className="min-w-0">
        <div className="break-words">{h.reason}</div>
        {h.answer && (
          <div className="break-words text-soft">
            {h.side.name} said: “{h.answer}”
          </div>
        )}
      </div>
      <span className="text-right text-soft">
        <When at={h.since} />
      </span>
      <span className="flex gap-3">
        {h.field && (
          <button
            type="button"
            className="font-semibold text-action hover:underline disabled:opacity-50"
            onClick={() => setCorrecting(!correcting)}
            disabled={!mayAct}
            aria-expanded={correcting}
            aria-label={`Put ${h.title} right`}
          >
            Put right…
          </button>
        )}
        {!alone && (
          <>
            <button
              type="button"
              className="font-semibold text-action hover:underline disabled:opacity-50"
              onClick={release}
              disabled={!mayAct}
              aria-label={`Try ${h.title} again`}
            >
              Try again
            </button>
            <button
              type="button"
              className="hover:underline disabled:opacity-50"
              onClick={leave}
              disabled={!mayAct}
              aria-label={`Leave ${h.title} out`}
            >
              Leave out…
            </button>
          </>
        )}
      </span>
      {correcting && <PutRight hold={h} done={() => setCorrecting(false)} />}
    </li>
  );
}
