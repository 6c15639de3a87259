import { useDeferredValue, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Candidate, RecordPage } from '../../api/client';
import { useApart, useCandidates, useJoin, useTakeApart } from '../../api/queries';
import { Button } from '../../parts/Button';
import { INPUT, Tick } from '../../parts/inputs';
import { percent, signed } from '../../parts/likelihood';
import { Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';

/** What is linked with what, and the ways to put a wrong link right. */
export function Regroup({
  record: r,
  mayDecide,
  finding,
}: {
  record: RecordPage;
  mayDecide: boolean;
  /** Whether it begins with the search for the right one. */
  finding: boolean;
}) {
  const [doing, setDoing] = useState<'apart' | 'find' | null>(finding ? 'find' : null);
  const there = r.members.filter((m) => m.id !== null);
  const isMissing = there.length < r.sides.length;
  if (!mayDecide) return null;
  return (
    <section aria-label="Links" className="mt-4">
      <div className="flex items-center gap-2">
        {there.length > 1 && (
          <Button aria-expanded={doing === 'apart'} onClick={() => setDoing(doing === 'apart' ? null : 'apart')}>
            This is not the same…
          </Button>
        )}
        {isMissing && (
          <Button aria-expanded={doing === 'find'} onClick={() => setDoing(doing === 'find' ? null : 'find')}>
            Find the right one…
          </Button>
        )}
      </div>
      {doing === 'apart' && <TakeApart record={r} close={() => setDoing(null)} />}
      {doing === 'find' && <Find record={r} />}
    </section>
  );
}

/** One record leaves the link. What had been written across is offered to be put back. */
function TakeApart({ record: r, close }: { record: RecordPage; close: () => void }) {
  const there = r.members.filter((m) => m.id !== null);
  const [side, setSide] = useState(there[there.length - 1]!.side);
  const [putBack, setPutBack] = useState(true);
  const written = useApart(r.link, side);
  const apart = useTakeApart(r.link);
  const go = useNavigate();
  const offers = written.data?.written ?? [];
  return (
    <div className="mt-2 border-l-4 border-alike bg-sheet px-4 py-3">
      <fieldset>
        <legend className="font-semibold">Which of them is another {r.recordType}?</legend>
        <div className="mt-1 flex flex-wrap gap-5">
          {there.map((m) => (
            <label key={m.side} className="flex items-center gap-2">
              <input
                type="radio"
                name="leaves"
                className="accent-action"
                checked={side === m.side}
                onChange={() => setSide(m.side)}
              />
              <SystemTile of={r.sides[m.side]!} /> {r.sides[m.side]!.name} {m.id}
            </label>
          ))}
        </div>
      </fieldset>
      <p className="mt-2 text-soft">
        The link is broken and both go on by themselves. The two are remembered as different: they are never linked by
        themselves again.
      </p>
      {written.isPending ? (
        <Loading what="what was written across" />
      ) : offers.length === 0 ? (
        <p className="mt-2 text-soft">Nothing had been written across that would have to be put back.</p>
      ) : (
        <>
          <div className="mt-2">
            <Tick on={putBack} set={setPutBack}>
              Put back what had been written across, with the next run
            </Tick>
          </div>
          <table className="mt-1 w-full text-sm">
            <thead className="text-left text-soft">
              <tr>
                <th className="font-semibold">In</th>
                <th className="font-semibold">Field</th>
                <th className="font-semibold">Says now</th>
                <th className="font-semibold">Said before</th>
              </tr>
            </thead>
            <tbody>
              {offers.map((o) => (
                <tr key={`${o.side} ${o.field}`} className="border-t border-rule">
                  <td className="py-1">{r.sides[o.side]!.name}</td>
                  <td>{o.field}</td>
                  <td className={putBack ? 'line-through' : ''}>{o.now || 'empty'}</td>
                  <td className={putBack ? 'font-semibold' : 'text-soft'}>{o.before || 'empty'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {apart.isError && <Notice>{apart.error.message}</Notice>}
      <div className="mt-3 flex gap-2">
        <Button
          primary
          disabled={apart.isPending}
          onClick={() =>
            apart.mutate(
              { side, putBack: putBack && offers.length > 0 },
              { onSuccess: (made) => void go(`/records/${made.link}?find=1`) },
            )
          }
        >
          {apart.isPending ? 'Taking apart…' : 'Take them apart'}
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </div>
  );
}

/** The record's other half: the best candidates with what speaks for them, or whatever a text finds. */
function Find({ record: r }: { record: RecordPage }) {
  const [text, setText] = useState('');
  const wanted = useDeferredValue(text.trim());
  const found = useCandidates(r.link, wanted, true);
  const join = useJoin(r.link);
  const go = useNavigate();
  return (
    <div className="mt-2 border-l-4 border-alike bg-sheet px-4 py-3">
      <label className="block max-w-96">
        <span className="mb-1 block font-semibold">Which record is the same {r.recordType}?</span>
        <input
          type="search"
          className={INPUT}
          value={text}
          placeholder="The likeliest stand below; or search by name, number, e-mail, id"
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      {found.isPending ? (
        <Loading what="the candidates" />
      ) : found.isError ? (
        <p className="mt-2 text-soft">
          This mirror recognises records by keys alone. Set under Recognising what else counts, then candidates stand
          here.
        </p>
      ) : found.data.candidates.length === 0 ? (
        <p className="mt-2 text-soft">
          {wanted ? `Nothing holds “${wanted}”.` : 'No record resembles it. Search for it above.'}
        </p>
      ) : (
        <ul className="mt-2">
          {found.data.candidates.map((c) => (
            <li key={`${c.side} ${c.id}`} className="flex items-start gap-3 border-t border-rule py-2">
              <SystemTile of={r.sides[c.side]!} />
              <span className="min-w-0 flex-1">
                <span className="font-semibold">{c.title}</span> <span className="text-sm text-soft">{c.id}</span>
                {c.link && (
                  <>
                    {' '}
                    <Link to={`/records/${c.link}`} className="text-sm text-action underline">
                      its record
                    </Link>
                  </>
                )}
                <span className="block text-sm text-soft">{c.values.filter(Boolean).join(' · ')}</span>
                <Speaks for={c} />
              </span>
              <span className="w-16 shrink-0 text-right tabular-nums">
                {c.probability != null && percent(c.probability)}
              </span>
              <Button
                disabled={join.isPending}
                aria-label={`${c.title} ${c.id} is the same`}
                onClick={() =>
                  join.mutate({ side: c.side, id: c.id }, { onSuccess: (made) => void go(`/records/${made.link}`) })
                }
              >
                Same
              </Button>
            </li>
          ))}
        </ul>
      )}
      {join.isError && <Notice>{join.error.message}</Notice>}
    </div>
  );
}

/** What tells most for and against a candidate. */
function Speaks({ for: c }: { for: Candidate }) {
  const lines = c.lines.filter((l) => l.bits !== 0).sort((a, b) => Math.abs(b.bits) - Math.abs(a.bits));
  if (lines.length === 0) return null;
  return (
    <span className="block text-sm">
      {lines.slice(0, 4).map((l, i) => (
        <span key={l.fields.join()} className={l.bits > 0 ? 'text-alike' : 'text-held'}>
          {i > 0 && ', '}
          {l.fields.join(' and ')} {l.words} <span className="tabular-nums">{signed(l.bits)}</span>
        </span>
      ))}
    </span>
  );
}
