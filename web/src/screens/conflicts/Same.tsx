import { useState, type ReactNode } from 'react';
import { Link, useNavigate } from 'react-router';
import { useAlike, useDecideAlike } from '../../api/queries';
import { Button } from '../../parts/Button';
import { useKeys } from '../../parts/keys';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import type { Alike } from '../../api/client';

/** The same decision for the others like the one just decided, with what it would make of each, before it is made. */
export function Same({
  id,
  same,
  mayDecide,
  bar,
  onDecided,
}: {
  id: number;
  /** How it was decided: side:0, before or combine. */
  same: string;
  mayDecide: boolean;
  bar: ReactNode;
  onDecided: (ids: number[], words: string) => void;
}) {
  const [take, sideText] = same.split(':') as [string, string | undefined];
  const side = sideText === undefined ? null : Number(sideText);
  const alike = useAlike(id, take, side);
  const decide = useDecideAlike();
  const go = useNavigate();
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const rows = alike.data ?? [];
  const chosen = rows.filter((r) => r.chosen !== null && r.chosen !== undefined && !left.has(r.conflict.id));
  const go_on = () => void go('/conflicts');
  const all = () => {
    if (!mayDecide || decide.isPending || chosen.length === 0) return;
    decide.mutate(
      {
        mirror: chosen[0]!.conflict.mirror,
        take,
        side,
        comment: null,
        conflicts: chosen.map((r) => ({ id: r.conflict.id, revision: r.conflict.revision })),
      },
      {
        onSuccess: (done) => {
          if (done.made.length > 0) onDecided(done.made, `${done.made.length} more decided the same way.`);
          setLeft(new Set());
          if (Object.keys(done.failed).length === 0) go_on();
        },
      },
    );
  };
  useKeys([
    { key: 'Enter', does: 'Decide these the same way', act: all },
    { key: 'Escape', does: 'Leave them for later', act: go_on },
  ]);
  return (
    <section aria-label="The same for these" className="mx-auto flex h-full max-w-[1240px] flex-col px-5 pt-4">
      {bar}
      <h1 className="text-lg font-semibold">
        {take === 'before'
          ? 'You kept the value from before. The same for these?'
          : take === 'combine'
            ? 'You put all values together. The same for these?'
            : `You took ${rows[0]?.conflict.competing.find((c) => c.side === side)?.name ?? 'one side'}’s value. The same for these?`}
      </h1>
      {alike.isPending ? (
        <Loading what="the conflicts like it" />
      ) : alike.isError ? (
        <Failing error={alike.error} retry={() => void alike.refetch()} />
      ) : rows.length === 0 ? (
        <Empty title="No other conflict is like it.">
          <Link to="/conflicts" className="text-action underline">
            Go on with the next one
          </Link>
        </Empty>
      ) : (
        <>
          <p className="mb-2 max-w-[80ch] text-soft">
            {rows.length} {rows.length === 1 ? 'other conflict is' : 'other conflicts are'} about{' '}
            {rows[0]!.conflict.fields.join(', ')} too, between the same systems. Nothing is decided before you say so.
          </p>
          <div className="min-h-0 flex-1 overflow-auto">
            <Table
              rows={rows}
              left={left}
              toggle={(one) =>
                setLeft((before) => {
                  const now = new Set(before);
                  if (!now.delete(one)) now.add(one);
                  return now;
                })
              }
            />
          </div>
          <div className="flex items-center gap-2 border-t border-rule py-3">
            {decide.isError && <Notice>{decide.error.message}</Notice>}
            {decide.data && Object.keys(decide.data.failed).length > 0 && (
              <Notice>{Object.values(decide.data.failed)[0]}</Notice>
            )}
            <Button
              primary
              keyHint="Enter"
              disabled={!mayDecide || decide.isPending || chosen.length === 0}
              onClick={all}
            >
              {chosen.length === 1 ? 'Decide this one the same way' : `Decide these ${chosen.length} the same way`}
            </Button>
            <Button keyHint="Escape" onClick={go_on}>
              Leave them for later
            </Button>
          </div>
        </>
      )}
    </section>
  );
}

function Table({ rows, left, toggle }: { rows: Alike[]; left: ReadonlySet<number>; toggle: (id: number) => void }) {
  const sides = rows[0]!.conflict.competing;
  const text = (values: string[] | null | undefined) => values?.map((v) => v || 'empty').join(', ') ?? 'removed';
  return (
    <table className="w-full bg-sheet">
      <thead>
        <tr className="text-left text-sm text-soft">
          <th className="w-9 px-3 py-2">
            <span className="sr-only">Decide it too</span>
          </th>
          <th className="px-3 py-2 font-semibold">Record</th>
          {sides.map((s, i) => (
            <th key={i} className="px-3 py-2 font-semibold">
              {s.name ?? 'decided before'}
            </th>
          ))}
          <th className="px-3 py-2 font-semibold">Agreed before</th>
          <th className="bg-spine px-3 py-2 font-semibold text-spine-ink">Would be agreed</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.conflict.id} className="h-9 border-t border-rule">
            <td className="px-3">
              <input
                type="checkbox"
                className="accent-action"
                aria-label={`Decide ${r.conflict.title} too`}
                checked={Boolean(r.chosen) && !left.has(r.conflict.id)}
                disabled={!r.chosen}
                onChange={() => toggle(r.conflict.id)}
              />
            </td>
            <td className="max-w-[280px] truncate px-3">
              <Link to={`/conflicts/${r.conflict.id}`} className="hover:underline" title={r.conflict.title}>
                {r.conflict.title}
              </Link>
            </td>
            {r.conflict.competing.map((c, i) => (
              <td key={i} className="max-w-[220px] truncate px-3" title={text(c.values)}>
                {text(c.values)}
              </td>
            ))}
            <td className="max-w-[200px] truncate px-3 text-soft" title={text(r.before)}>
              {text(r.before)}
            </td>
            <td className="max-w-[220px] truncate bg-spine px-3 text-spine-ink" title={r.why ?? text(r.chosen)}>
              {r.chosen ? text(r.chosen) : <span className="text-held">{r.why}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
