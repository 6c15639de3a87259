import { useRef, useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { LookAlikeRow, Session } from '../../api/client';
import { useJudge, useLookAlike, useLookAlikes, useUndoJudgement, type Judgement } from '../../api/queries';
import { Key } from '../../parts/Button';
import { useKeys } from '../../parts/keys';
import { Empty, Failing, Loading } from '../../parts/States';
import { DecideAbove } from './DecideAbove';
import { percent } from '../../parts/likelihood';
import { Pair } from './Pair';

/** Look-alikes, one at a time with the evidence that adds up, decided from the keyboard. */
export function LookAlikes({ session }: { session: Session }) {
  const { id } = useParams();
  const go = useNavigate();
  const list = useLookAlikes();
  const judge = useJudge();
  const undo = useUndoJudgement();
  const [above, setAbove] = useState(false);
  const mayDecide = session.role !== 'reader';
  // Which of them: those of a mirror, or those within a system. It stands in the address, as everything that can be sent to a colleague.
  const [params] = useSearchParams();
  const only = params.get('only') ?? '';
  const all = list.data?.rows ?? [];
  const rows = all.filter((r) => only === '' || only === r.mirror || only === `in ${r.system}`);
  const address = (pair: number | string) => `/look-alikes/${pair}${only ? `?only=${encodeURIComponent(only)}` : ''}`;
  // Where the one that was looked at stood: when it is decided, the next takes its place.
  const place = useRef(0);
  const wanted = id === undefined ? null : Number(id);
  const at = rows.findIndex((r) => r.id === wanted);
  if (at >= 0) place.current = at;
  const current = rows[at >= 0 ? at : Math.min(place.current, rows.length - 1)] ?? null;
  const shown = useLookAlike(wanted ?? current?.id ?? null);
  const asked = shown.isError ? (current?.id ?? null) : (wanted ?? current?.id ?? null);
  const fallback = useLookAlike(shown.isError ? asked : null);
  const page = shown.isError ? fallback : shown;
  const position = current ? rows.indexOf(current) : -1;
  const move = (by: number) => {
    const next = rows[(position + by + rows.length) % rows.length];
    if (next) void go(address(next.id));
  };
  const last = list.data?.judged[0];
  // A key that comes before the next pair is drawn is not about the one that was just decided.
  const decided = useRef(new Set<number>());
  const say = (pair: number, is: Judgement) => {
    if (!mayDecide || judge.isPending || decided.current.has(pair)) return;
    judge.mutate(
      { id: pair, is },
      {
        onSuccess: () => {
          if (is !== 'later') decided.current.add(pair);
          // Another pair of the same records comes next, or else the next in the list.
          const rest = page.data?.pairs.filter((p) => p.id !== pair) ?? [];
          const next = rows[position + 1] ?? rows[position - 1];
          if (is !== 'later' && is !== 'same' && rest.length > 0) void go(address(rest[0]!.id));
          else void go(address(next?.id ?? ''));
        },
      },
    );
  };
  useKeys([
    { key: 'j', does: 'Next look-alike', act: () => move(1) },
    { key: 'k', does: 'Look-alike before', act: () => move(-1) },
    {
      key: 'u',
      does: 'Undo what was decided last',
      act: () => last && mayDecide && !undo.isPending && takeBack(last.pair),
    },
  ]);
  const takeBack = (pair: number) => {
    decided.current.delete(pair);
    undo.mutate(pair, { onSuccess: () => void go(address(pair)) });
  };
  if (list.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="the look-alikes" />
      </div>
    );
  if (list.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={list.error} retry={() => void list.refetch()} />
      </div>
    );
  return (
    <div className="flex h-full">
      <nav aria-label="Look-alikes" className="flex w-[268px] shrink-0 flex-col border-r border-rule">
        <div className="flex items-center gap-3 px-4 py-2.5">
          <h1 className="text-lg font-semibold">Look-alikes</h1>
          <select
            aria-label="Which look-alikes"
            className="ml-auto h-[30px] w-32 rounded border border-rule bg-sheet px-1"
            value={only}
            onChange={(e) => {
              place.current = 0;
              void go(e.target.value ? `/look-alikes?only=${encodeURIComponent(e.target.value)}` : '/look-alikes');
            }}
          >
            <option value="">all {all.length}</option>
            {filters(all).map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </div>
        <ul className="min-h-0 flex-1 overflow-auto">
          {rows.map((r, i) => (
            <li key={r.id}>
              {(i === 0 ? r.isPutOff : r.isPutOff && !rows[i - 1]!.isPutOff) && (
                <div className="px-4 py-1.5 text-sm font-semibold text-soft">Not now</div>
              )}
              <Link
                to={address(r.id)}
                aria-current={r === current ? 'true' : undefined}
                className={`block border-l-[3px] px-4 py-2 ${r === current ? 'border-alike bg-sheet' : 'border-transparent hover:bg-sheet/60'}`}
              >
                <span className="flex justify-between gap-2">
                  <span className="truncate font-semibold">{r.title}</span>
                  <span className="shrink-0 text-sm tabular-nums">{percent(r.probability, 0)}</span>
                </span>
                <span className="block truncate text-sm text-soft">
                  {r.mirrorName}
                  {r.system && ` · both in ${r.system}`}
                  {r.records > 2 && ` · ${r.records} records`}
                </span>
              </Link>
            </li>
          ))}
        </ul>
        <div className="shrink-0 border-t border-rule px-4 py-3 text-sm">
          {rows.length > 0 && (
            <>
              <Levels rows={rows} />
              <button
                type="button"
                className="mt-2 font-semibold text-action hover:underline"
                onClick={() => setAbove(true)}
              >
                Decide all above a line…
              </button>
            </>
          )}
          {last && (
            <p className="mt-2 text-soft">
              Last: <span className="text-ink">{last.title}</span>, {SAID[last.is]}, by {last.who}.{' '}
              <button
                type="button"
                className="font-semibold text-action hover:underline"
                disabled={!mayDecide || undo.isPending}
                onClick={() => takeBack(last.pair)}
              >
                Undo
              </button>{' '}
              <Key>u</Key>
            </p>
          )}
          {undo.isError && (
            <p role="alert" className="mt-2 text-held">
              {undo.error.message}
            </p>
          )}
        </div>
      </nav>
      {!current ? (
        <div className="flex-1 px-5 py-4">
          <Empty title="No look-alike waits.">
            Two records that may be one thing, and that neither a shared number nor enough likeness decides, will stand
            here side by side with what speaks for and against it. Nothing is created twice meanwhile. When a mirror
            links by itself and when it asks is set in its step{' '}
            <Link to="/mirrors" className="text-action underline">
              Recognising
            </Link>
            .
          </Empty>
        </div>
      ) : page.isPending || page.isError ? (
        <div className="flex-1 px-5 py-4">
          {page.isError ? (
            <Failing error={page.error} retry={() => void page.refetch()} />
          ) : (
            <Loading what="the records" />
          )}
        </div>
      ) : (
        <Pair
          key={page.data.pairs[page.data.pair]?.id}
          page={page.data}
          position={position}
          of={rows.length}
          mayDecide={mayDecide}
          busy={judge.isPending}
          refusal={judge.isError ? judge.error.message : null}
          say={say}
        />
      )}
      {above && <DecideAbove rows={rows} mayDecide={mayDecide} close={() => setAbove(false)} />}
    </div>
  );
}

/** What the list can be narrowed to, with how many each leaves. */
function filters(rows: LookAlikeRow[]): [string, string][] {
  const count = new Map<string, [string, number]>();
  for (const r of rows)
    for (const [value, words] of [
      [r.mirror, r.mirrorName],
      ...(r.system ? [[`in ${r.system}`, `twice in ${r.system}`]] : []),
    ] as [string, string][])
      count.set(value, [words, (count.get(value)?.[1] ?? 0) + 1]);
  return [...count].map(([value, [words, n]]) => [value, `${words} (${n.toLocaleString()})`]);
}

const SAID: Record<string, string> = {
  same: 'the same',
  different: 'different',
  double: 'one of them kept',
  apart: 'taken apart',
};

/** How many wait at each likelihood. */
function Levels({ rows }: { rows: LookAlikeRow[] }) {
  const bars = Array.from({ length: 10 }, (_, i) => rows.filter((r) => levelOf(r.probability) === i).length);
  const most = Math.max(...bars, 1);
  return (
    <figure>
      <figcaption className="font-semibold text-soft">{rows.length.toLocaleString()} wait, by likelihood</figcaption>
      <div className="mt-1 flex h-10 items-end gap-[3px] border-b border-alike" aria-hidden="true">
        {bars.map((n, i) => (
          <div
            key={i}
            className="flex-1 bg-alike/70"
            style={{ height: `${n === 0 ? 0 : Math.max(6, (n / most) * 100)}%` }}
          />
        ))}
      </div>
      <div className="flex justify-between text-soft tabular-nums">
        <span>50 %</span>
        <span>75 %</span>
        <span>100 %</span>
      </div>
    </figure>
  );
}

const levelOf = (probability: number) => Math.min(9, Math.max(0, Math.floor((probability - 0.5) * 20)));
