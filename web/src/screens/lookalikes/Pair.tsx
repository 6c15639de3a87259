import { Fragment, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import type { AlikePair, AlikeRecord, LookAlikePage } from '../../api/client';
import type { Judgement } from '../../api/queries';
import { Button, Key } from '../../parts/Button';
import { useKeys } from '../../parts/keys';
import { Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { before, differing, percent, signed } from '../../parts/likelihood';

/** Two records side by side, the evidence between them adding up, and what follows from either answer. */
export function Pair({
  page,
  position,
  of,
  mayDecide,
  busy,
  refusal,
  say,
}: {
  page: LookAlikePage;
  position: number;
  of: number;
  mayDecide: boolean;
  busy: boolean;
  /** Why the last answer could not be kept. */
  refusal: string | null;
  say: (pair: number, is: Judgement) => void;
}) {
  const { records, fields, row } = page;
  const pair = page.pairs[page.pair]!;
  const [a, b] = [records[pair.a]!, records[pair.b]!];
  const isDouble = a.side.index === b.side.index;
  const others = records.map((_, i) => i).filter((i) => i !== pair.a && i !== pair.b);
  const [showing, setShowing] = useState(false);
  // Of the one that is not kept, the values that are kept all the same.
  const [taken, setTaken] = useState<string[]>([]);
  const keep = (which: 'a' | 'b') => say(pair.id, { keep: which, take: taken });
  useKeys([
    ...(isDouble
      ? [
          { key: '1', does: `Keep ${a.id}: they are the same`, act: () => keep('a') },
          { key: '2', does: `Keep ${b.id}: they are the same`, act: () => keep('b') },
        ]
      : [{ key: 's', does: 'They are the same', act: () => say(pair.id, 'same') }]),
    { key: 'd', does: 'They are different', act: () => say(pair.id, 'different') },
    { key: 'n', does: 'Not now', act: () => say(pair.id, 'later') },
  ]);
  return (
    <section aria-label={row.title} className="flex min-w-0 flex-1 flex-col">
      <div className="min-h-0 flex-1 overflow-auto px-5 pt-3 pb-5">
        <div className="mb-2 flex items-baseline gap-3">
          <h2 className="text-lg font-semibold">
            {isDouble ? `Is this one ${row.recordType}, entered twice?` : `Are these the same ${row.recordType}?`}
          </h2>
          <span className="text-soft">{percent(pair.probability)} of pairs with this evidence are</span>
          <span className="ml-auto text-soft">
            {position + 1} of {of}
          </span>
        </div>
        <Evidence
          fields={fields}
          pair={pair}
          a={a}
          b={b}
          more={showing ? others.map((i) => records[i]!) : []}
          choose={isDouble && mayDecide ? { taken, set: setTaken } : null}
        />
        {others.length > 0 && (
          <p className="mt-3 border-l-4 border-alike bg-alike-tint px-3 py-2">
            {others.length === 1 ? 'A third record' : `${others.length} more records`} may be the same:{' '}
            {page.pairs
              .filter((p) => p.id !== pair.id)
              .map((p, i) => (
                <Fragment key={p.id}>
                  {i > 0 && ', '}
                  <Link to={`/look-alikes/${p.id}`} className="underline">
                    {records[p.a]!.side.name} {records[p.a]!.id} with {records[p.b]!.side.name} {records[p.b]!.id}
                  </Link>{' '}
                  {percent(p.probability)}
                </Fragment>
              ))}
            .{' '}
            <button type="button" className="font-semibold text-action underline" onClick={() => setShowing(!showing)}>
              {showing ? 'Hide them' : records.length === 3 ? 'Show the three' : 'Show them all'}
            </button>
          </p>
        )}
        <dl className="mt-3 max-w-[90ch]">
          <Follows if="If they are the same" then={page.ifSame} />
          <Follows if="If they are different" then={page.ifDifferent} />
        </dl>
      </div>
      <div className="shrink-0 border-t border-rule px-5 py-3">
        {refusal && (
          <div className="mb-2">
            <Notice>{refusal}</Notice>
          </div>
        )}
        {!mayDecide && (
          <div className="mb-2">
            <Notice>You may look. A steward or an administrator decides.</Notice>
          </div>
        )}
        <div className="flex flex-wrap items-center gap-2">
          {isDouble ? (
            <>
              <Button primary keyHint="1" disabled={!mayDecide || busy} onClick={() => keep('a')}>
                Same: keep {a.id}
              </Button>
              <Button keyHint="2" disabled={!mayDecide || busy} onClick={() => keep('b')}>
                Same: keep {b.id}
              </Button>
            </>
          ) : (
            <Button primary keyHint="s" disabled={!mayDecide || busy} onClick={() => say(pair.id, 'same')}>
              Same
            </Button>
          )}
          <Button keyHint="d" disabled={!mayDecide || busy} onClick={() => say(pair.id, 'different')}>
            Different
          </Button>
          <Button keyHint="n" disabled={!mayDecide || busy} onClick={() => say(pair.id, 'later')}>
            Not now
          </Button>
          <span className="ml-auto flex items-center gap-2 text-soft">
            next <Key>j</Key> before <Key>k</Key> undo <Key>u</Key> keys <Key>?</Key>
          </span>
        </div>
      </div>
    </section>
  );
}

function Follows({ if: condition, then }: { if: string; then: string[] }) {
  return (
    <div className="border-b border-rule py-1.5">
      <dt className="inline font-semibold">{condition}: </dt>
      <dd className="inline text-soft">{then.join(' ')}</dd>
    </div>
  );
}

/** The records field by field, with what each piece of evidence adds. All of the middle column together is the likelihood. */
function Evidence({
  fields,
  pair,
  a,
  b,
  more,
  choose,
}: {
  fields: string[];
  pair: AlikePair;
  a: AlikeRecord;
  b: AlikeRecord;
  more: AlikeRecord[];
  choose: { taken: string[]; set: (taken: string[]) => void } | null;
}) {
  const counted = new Set(pair.lines.flatMap((l) => l.fields));
  const rest = fields.map((_, i) => i).filter((i) => !counted.has(i) && (a.values[i] || b.values[i]));
  const most = Math.max(8, ...pair.lines.map((l) => Math.abs(l.bits)), Math.abs(pair.before), Math.abs(pair.relatives));
  // Written two ways and the same all the same: nothing in it is marked.
  const same = new Set(pair.lines.filter((l) => l.words === 'the same').flatMap((l) => l.fields));
  const tick = (i: number) =>
    choose && a.values[i] !== b.values[i] && b.values[i] && a.values[i] ? (
      <label className="flex items-center gap-1 text-sm text-soft">
        <input
          type="checkbox"
          checked={choose.taken.includes(fields[i]!)}
          onChange={(e) =>
            choose.set(
              e.target.checked ? [...choose.taken, fields[i]!] : choose.taken.filter((name) => name !== fields[i]),
            )
          }
        />
        take the other’s
      </label>
    ) : null;
  /** What each record says in a field, with what stands between the first two. */
  const row = (i: number, middle: ReactNode) => (
    <tr key={fields[i]} className="border-t border-rule">
      <Label>{fields[i]}</Label>
      <td className="px-3 py-1.5 align-top break-words">
        <Value of={a.values[i]!} other={b.values[i]!} isSame={same.has(i)} />
      </td>
      {middle}
      <td className="px-3 py-1.5 align-top break-words">
        <Value of={b.values[i]!} other={a.values[i]!} isSame={same.has(i)} />
        {tick(i)}
      </td>
      {more.map((m) => (
        <td key={m.id} className="px-3 py-1.5 align-top break-words">
          <Value of={m.values[i]!} other={a.values[i]!} />
        </td>
      ))}
    </tr>
  );
  return (
    <table className="w-full table-fixed border-collapse bg-sheet">
      <caption className="sr-only">What the two records say, and what speaks for and against their being one</caption>
      <colgroup>
        <col className="w-[108px]" />
        <col />
        <col className="w-[348px]" />
        <col />
        {more.map((m) => (
          <col key={m.id} />
        ))}
      </colgroup>
      <thead className="text-left align-top">
        <tr>
          <td className="bg-ground" />
          <Head record={a} />
          <th scope="col" className="border-t-2 border-alike bg-alike-tint px-3 py-2 font-semibold text-alike">
            Evidence
            <span className="block text-sm font-normal">against | for, as powers of two</span>
          </th>
          <Head record={b} />
          {more.map((m) => (
            <Head key={m.id} record={m} />
          ))}
        </tr>
      </thead>
      <tbody>
        {pair.lines.map((line) =>
          line.fields.map((i, n) =>
            row(
              i,
              n === 0 && (
                <td rowSpan={line.fields.length} className="bg-alike-tint px-3 py-1.5 align-middle">
                  <Bar bits={line.bits} most={most} words={line.words} />
                </td>
              ),
            ),
          ),
        )}
        <tr className="border-t border-rule">
          <Label>Beforehand</Label>
          <td className="px-3 py-1.5 align-top text-soft">before any evidence: {before(pair.before)}</td>
          <td className="bg-alike-tint px-3 py-1.5">
            <Bar bits={pair.before} most={most} words="so few pairs are one thing" />
          </td>
          <td colSpan={1 + more.length} />
        </tr>
        {pair.relatives !== 0 && (
          <tr className="border-t border-rule">
            <Label>Relatives</Label>
            <td className="px-3 py-1.5 align-top text-soft">
              branches, families and colleagues agree in some of it too
            </td>
            <td className="bg-alike-tint px-3 py-1.5">
              <Bar bits={pair.relatives} most={most} words="it fits relatives as well" />
            </td>
            <td colSpan={1 + more.length} />
          </tr>
        )}
        {pair.rivals !== 0 && (
          <tr className="border-t border-rule">
            <Label>Rivals</Label>
            <td className="px-3 py-1.5 align-top text-soft">one of the two may be another record instead</td>
            <td className="bg-alike-tint px-3 py-1.5">
              <Bar bits={pair.rivals} most={most} words="others are as likely" />
            </td>
            <td colSpan={1 + more.length} />
          </tr>
        )}
        <tr className="border-t-2 border-alike">
          <Label strong>Together</Label>
          <td className="px-3 py-1.5 align-top text-soft">all of it added up</td>
          <td className="bg-alike-tint px-3 py-1.5 text-right font-semibold text-alike tabular-nums">
            {signed(pair.sum)}
          </td>
          <td className="px-3 py-1.5" colSpan={1 + more.length}>
            2<sup>{signed(pair.sum).replace('+', '')}</sup> : 1 ={' '}
            <strong className="font-semibold">{percent(pair.probability)}</strong>
          </td>
        </tr>
        {rest.length > 0 && (
          <tr className="border-t border-rule">
            <td colSpan={4 + more.length} className="bg-ground px-3 pt-3 pb-1 text-sm font-semibold text-soft">
              What else they say, which is no evidence
            </td>
          </tr>
        )}
        {rest.map((i) => row(i, <td className="bg-alike-tint/50" />))}
      </tbody>
    </table>
  );
}

function Label({ children, strong = false }: { children: ReactNode; strong?: boolean }) {
  return (
    <th
      scope="row"
      className={`bg-ground py-1.5 pr-2 text-left align-top ${strong ? 'font-semibold' : 'font-normal text-soft'}`}
    >
      {children}
    </th>
  );
}

function Head({ record: r }: { record: AlikeRecord }) {
  return (
    <th scope="col" className="px-3 py-2 font-semibold">
      <span className="flex items-center gap-2">
        <SystemTile of={r.side} />
        {r.link ? (
          <Link to={`/records/${r.link}`} className="truncate hover:underline">
            {r.side.name}
          </Link>
        ) : (
          <span className="truncate">{r.side.name}</span>
        )}
      </span>
      <span className="mt-0.5 block text-sm font-normal break-words text-soft">
        {r.side.collection} / {r.id}
        {r.link
          ? r.linkedWith.length > 0
            ? ` · linked with ${r.linkedWith.join(', ')}`
            : ' · known, linked with none'
          : ' · waits for this'}
      </span>
    </th>
  );
}

function Value({ of, other, isSame = false }: { of: string; other: string; isSame?: boolean }) {
  if (of === '') return <span className="text-soft">empty</span>;
  if (isSame) return <>{of}</>;
  return (
    <>
      {differing(of, other).map((p, i) =>
        p.isOwn ? (
          <mark key={i} className="bg-held-tint text-ink">
            {p.part}
          </mark>
        ) : (
          <Fragment key={i}>{p.part}</Fragment>
        ),
      )}
    </>
  );
}

/** A weight as a bar: for the two being one to the right, against to the left. */
function Bar({ bits, most, words }: { bits: number; most: number; words: string }) {
  const width = `${Math.min(50, (Math.abs(bits) / most) * 50)}%`;
  return (
    <span className="flex items-center gap-2">
      <span className="min-w-0 flex-1 text-sm text-soft">{words}</span>
      <span className="relative h-2.5 w-28 shrink-0" aria-hidden="true">
        <span className="absolute inset-y-[-4px] left-1/2 w-px bg-alike/60" />
        <span
          className={`absolute inset-y-0 ${bits < 0 ? 'right-1/2 bg-held/70' : 'left-1/2 bg-alike'}`}
          style={{ width }}
        />
      </span>
      <span className="w-14 shrink-0 text-right font-semibold tabular-nums">{signed(bits)}</span>
    </span>
  );
}
