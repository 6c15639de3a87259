import { useState } from 'react';
import type { DraftPage, DraftSettings, LikenessForm, RecognisingTried, SampledPair, Side } from '../../../api/client';
import { useDraft, useEditDraft, useEvidence, useMoveDraft, useTryRecognising } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { INPUT, Tick } from '../../../parts/inputs';
import { percent, signed } from '../../../parts/likelihood';
import { Failing, Loading, Notice } from '../../../parts/States';
import { SystemTile } from '../../../parts/SystemTile';
import { DraftBar } from '../bench/DraftBar';
import { about, outcomeOf, zoneOf } from './lines';

/** What each kind of evidence is, in words. */
const KINDS: Record<string, string> = {
  organisation: 'name of an organisation',
  given: 'given name',
  family: 'family name',
  name: 'whole name of a person',
  email: 'e-mail address',
  web: 'web site',
  phone: 'telephone number',
  street: 'street and number',
  town: 'town',
  postcode: 'postcode',
  address: 'whole address',
  date: 'date',
  number: 'number that names it',
  text: 'one of a few words',
};

const LINK_LINES = [0.6, 0.7, 0.8, 0.9, 0.95, 0.98, 0.99, 0.995, 0.999];
const ASK_LINES = [0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.98, 0.99];

/** What makes two records one thing: keys first, otherwise how much speaks for it; tried on the real records before anything is linked. */
export function Recognising({ mirrorKey, check }: { mirrorKey: string; check: () => void }) {
  const draft = useDraft(mirrorKey, 1, '');
  const { edit, error } = useEditDraft(mirrorKey);
  const move = useMoveDraft(mirrorKey);
  const offer = useEvidence(mirrorKey);
  const tried = useTryRecognising(mirrorKey);
  if (draft.isPending) return <Loading what="how records are recognised" />;
  if (draft.isError) return <Failing error={draft.error} retry={() => void draft.refetch()} />;
  const page = draft.data;
  const { settings, fields, step, sides } = page;
  const set = (what: string, some: Partial<DraftSettings>) => edit(what, fields, { ...settings, ...some });
  const likeness = settings.likeness ?? null;
  const setLikeness = (what: string, some: Partial<LikenessForm>) =>
    likeness && set(what, { likeness: { ...likeness, ...some } });
  return (
    <>
      <DraftBar
        draft={page}
        move={move.mutate}
        busy={move.isPending}
        check={check}
        discardQuestion={`Throw away ${step} edits? What is live stays as it is. This can't be undone.`}
      />
      {error && <Notice>{error.message}</Notice>}
      <div className="grid gap-x-8 gap-y-4 border-y border-rule bg-sheet px-4 py-3 lg:grid-cols-[minmax(0,5fr)_minmax(0,6fr)]">
        <div className="space-y-4">
          <Keys page={page} set={set} />
          <section aria-labelledby="otherwise">
            <h2 id="otherwise" className="font-semibold">
              2 · Otherwise, by how much speaks for it
            </h2>
            <Tick
              on={likeness !== null}
              set={(on) =>
                set(on ? 'Recognise by likeness too' : 'Recognise by keys alone', {
                  likeness: on
                    ? { evidence: offer.data?.guessed ?? [], linkAt: 0.99, askAt: 0.5, learnsFromPeople: false }
                    : null,
                })
              }
            >
              compare what records say, and link or ask by how likely they are one thing
            </Tick>
            {likeness && (
              <Evidence
                page={page}
                likeness={likeness}
                guessed={offer.data?.guessed ?? []}
                kinds={offer.data?.kinds ?? []}
                set={setLikeness}
              />
            )}
          </section>
          <section aria-labelledby="nowhere">
            <h2 id="nowhere" className="font-semibold">
              3 · What is found nowhere else
            </h2>
            <div className="mt-1 flex gap-5">
              {[
                [false, 'is created where it may be'],
                [true, 'is left as it is'],
              ].map(([leaves, words]) => (
                <label key={String(leaves)} className="flex items-center gap-2">
                  <input
                    type="radio"
                    name="nowhere"
                    className="accent-action"
                    checked={settings.leavesOut === leaves}
                    onChange={() =>
                      set(leaves ? 'Leave out what is found nowhere else' : 'Create what is found nowhere else', {
                        leavesOut: leaves as boolean,
                      })
                    }
                  />
                  {words as string}
                </label>
              ))}
            </div>
          </section>
        </div>
        {likeness ? (
          <section aria-labelledby="lines" className="min-w-0">
            <div className="flex items-center gap-3">
              <h2 id="lines" className="font-semibold">
                The two lines
              </h2>
              <Button
                className="ml-auto"
                primary={!tried.data}
                disabled={tried.isPending || likeness.evidence.length === 0}
                onClick={() => tried.mutate({ likeness, recognising: settings.recognising })}
              >
                {tried.isPending ? 'Comparing…' : tried.data ? 'Try again' : 'Try it on the real records'}
              </Button>
            </div>
            <div className="mt-2 grid grid-cols-2 gap-3">
              <Line
                label="Linked by themselves from"
                value={likeness.linkAt}
                lines={LINK_LINES}
                set={(linkAt) =>
                  setLikeness(`Link from ${said(linkAt)} on`, { linkAt, askAt: Math.min(likeness.askAt, linkAt) })
                }
              />
              <Line
                label="A person is asked from"
                value={likeness.askAt}
                lines={ASK_LINES.filter((l) => l <= likeness.linkAt)}
                set={(askAt) => setLikeness(`Ask from ${said(askAt)} on`, { askAt })}
              />
            </div>
            <div className="mt-2">
              <Tick
                on={likeness.learnsFromPeople}
                set={(learnsFromPeople) =>
                  setLikeness(learnsFromPeople ? 'Learn from what people decided' : 'Learn from the records alone', {
                    learnsFromPeople,
                  })
                }
              >
                learn from what people said of look-alikes, too
              </Tick>
            </div>
            {tried.isError && (
              <div className="mt-3">
                <Notice>{tried.error.message}</Notice>
              </div>
            )}
            {tried.data ? (
              <Outcome tried={tried.data} likeness={likeness} sides={sides} />
            ) : (
              <p className="mt-3 text-soft">
                Trying compares the records as they are now, learns from them what agreement is worth, and shows what
                these lines would come to. Nothing is linked and nothing is written.
              </p>
            )}
          </section>
        ) : (
          <p className="text-soft">
            Records that no key decides are taken as new, or held where a key stands in more than one record of a side.
            Compare what they say besides, and most of these are decided as well.
          </p>
        )}
      </div>
      {likeness && tried.data && <Samples tried={tried.data} likeness={likeness} sides={sides} />}
    </>
  );
}

const said = (line: number) => `${Number((line * 100).toFixed(2))} %`;

function Keys({ page, set }: { page: DraftPage; set: (what: string, some: Partial<DraftSettings>) => void }) {
  const { settings, fields } = page;
  const free = fields.filter((f) => !settings.recognising.includes(f.name) && f.type !== 'lines');
  return (
    <section aria-labelledby="keys">
      <h2 id="keys" className="font-semibold">
        1 · Keys first
      </h2>
      <p className="text-soft">The same value in one of these, and they are one thing, whatever else they say.</p>
      <ul className="mt-1 flex flex-wrap items-center gap-2">
        {settings.recognising.map((name, i) => (
          <li key={name} className="inline-flex items-center gap-1 rounded border border-rule bg-ground px-2 py-0.5">
            {i > 0 && <span className="text-sm text-soft">else</span>} {name}
            <button
              type="button"
              aria-label={`${name} is no key`}
              className="px-1 text-soft hover:text-ink"
              onClick={() =>
                set(`Do not recognise records by ${name}`, {
                  recognising: settings.recognising.filter((r) => r !== name),
                })
              }
            >
              ×
            </button>
          </li>
        ))}
        <li>
          <select
            aria-label="Add a key"
            className={`${INPUT} max-w-40`}
            value=""
            onChange={(e) =>
              set(`Recognise records by ${e.target.value}`, { recognising: [...settings.recognising, e.target.value] })
            }
          >
            <option value="">add a key…</option>
            {free.map((f) => (
              <option key={f.name}>{f.name}</option>
            ))}
          </select>
        </li>
      </ul>
    </section>
  );
}

function Evidence({
  page,
  likeness,
  guessed,
  kinds,
  set,
}: {
  page: DraftPage;
  likeness: LikenessForm;
  guessed: LikenessForm['evidence'];
  kinds: string[];
  set: (what: string, some: Partial<LikenessForm>) => void;
}) {
  const { evidence } = likeness;
  const free = page.fields.filter((f) => !evidence.some((e) => e.field === f.name) && f.type !== 'lines');
  const missing = guessed.filter((g) => !evidence.some((e) => e.field === g.field));
  return (
    <>
      <table className="mt-2 w-full">
        <caption className="sr-only">What counts as evidence</caption>
        <thead className="text-left text-sm text-soft">
          <tr>
            <th className="font-semibold">Field</th>
            <th className="font-semibold">Compared as</th>
            <th className="w-8">
              <span className="sr-only">Take out</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {evidence.map((e) => (
            <tr key={e.field} className="border-t border-rule">
              <td className="py-1 pr-2">{e.field}</td>
              <td className="py-1">
                <select
                  aria-label={`${e.field} is compared as`}
                  className={INPUT}
                  value={e.kind}
                  onChange={(event) =>
                    set(`Compare ${e.field} as ${KINDS[event.target.value]}`, {
                      evidence: evidence.map((x) => (x.field === e.field ? { ...x, kind: event.target.value } : x)),
                    })
                  }
                >
                  {(kinds.length > 0 ? kinds : [e.kind]).map((k) => (
                    <option key={k} value={k}>
                      {KINDS[k] ?? k}
                    </option>
                  ))}
                </select>
              </td>
              <td className="text-center">
                <button
                  type="button"
                  aria-label={`${e.field} is no evidence`}
                  className="px-1 text-soft hover:text-ink"
                  onClick={() => set(`${e.field} is no evidence`, { evidence: evidence.filter((x) => x !== e) })}
                >
                  ×
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-2 flex items-center gap-3">
        <select
          aria-label="Add evidence"
          className={`${INPUT} max-w-44`}
          value=""
          onChange={(e) =>
            set(`${e.target.value} counts as evidence`, {
              evidence: [
                ...evidence,
                guessed.find((g) => g.field === e.target.value) ?? { field: e.target.value, kind: 'text' },
              ],
            })
          }
        >
          <option value="">add evidence…</option>
          {free.map((f) => (
            <option key={f.name}>{f.name}</option>
          ))}
        </select>
        {missing.length > 0 && (
          <button
            type="button"
            className="font-semibold text-alike hover:underline"
            onClick={() =>
              set(`${missing.map((m) => m.field).join(', ')} count as evidence`, {
                evidence: [...evidence, ...missing],
              })
            }
          >
            ? Add {missing.map((m) => m.field).join(', ')}
          </button>
        )}
      </div>
    </>
  );
}

function Line({
  label,
  value,
  lines,
  set,
}: {
  label: string;
  value: number;
  lines: number[];
  set: (line: number) => void;
}) {
  const all = lines.includes(value) ? lines : [...lines, value].sort((a, b) => a - b);
  return (
    <label className="block">
      <span className="mb-1 block text-sm font-semibold text-soft">{label}</span>
      <select className={INPUT} value={value} onChange={(e) => set(Number(e.target.value))}>
        {all.map((l) => (
          <option key={l} value={l}>
            {said(l)} likely
          </option>
        ))}
      </select>
    </label>
  );
}

const ZONES = { different: 'bg-alike/35', asked: 'bg-alike', linked: 'bg-action/70' };

/** What the two lines come to, in words and as a picture of all likelihoods. */
function Outcome({ tried, likeness, sides }: { tried: RecognisingTried; likeness: LikenessForm; sides: Side[] }) {
  const { linked, wrong, asked, within } = outcomeOf(tried, likeness.linkAt, likeness.askAt);
  const most = Math.max(...tried.bars.map((n) => Math.sqrt(n)), 1);
  return (
    <div className="mt-3">
      <p aria-live="polite">
        {tried.byKey > 0 && (
          <>
            <strong className="font-semibold">{tried.byKey.toLocaleString()}</strong> are linked by keys.{' '}
          </>
        )}
        Of <strong className="font-semibold">{linked.toLocaleString()}</strong> {linked === 1 ? 'link' : 'links'} made
        by themselves <strong className="font-semibold">{about(wrong)}</strong> will be wrong;{' '}
        <strong className="font-semibold">{asked.toLocaleString()}</strong> {asked === 1 ? 'pair' : 'pairs'} will be
        asked
        {within > 0 && <>, {within.toLocaleString()} of them within one system</>}.
      </p>
      {tried.otherwise && (
        <p className="mt-2 border-l-4 border-alike px-3 text-soft">
          <Otherwise tried={tried} likeness={likeness} />
        </p>
      )}
      <figure className="mt-3">
        <figcaption className="text-sm text-soft">
          Likely and unlikely pairs that no key decides, by how likely they are one thing
        </figcaption>
        <div className="mt-1 flex h-24 items-end gap-[3px] border-b border-soft" aria-hidden="true">
          {tried.bars.map((n, i) => (
            <div key={i} className="flex h-full flex-1 flex-col justify-end" title={`${n.toLocaleString()} pairs`}>
              <span className="text-center text-[10.5px] text-soft tabular-nums">
                {n > 0 ? n.toLocaleString() : ''}
              </span>
              <div
                className={ZONES[zoneOf(i, tried.bars.length, likeness.linkAt, likeness.askAt)]}
                style={{ height: `${n === 0 ? 0 : Math.max(2, (Math.sqrt(n) / most) * 78)}%` }}
              />
            </div>
          ))}
        </div>
        <div className="mt-1 flex justify-between text-sm text-soft tabular-nums">
          <span>0 %</span>
          <span className="flex gap-4">
            {(['different', 'asked', 'linked'] as const).map((z) => (
              <span key={z} className="flex items-center gap-1.5">
                <span className={`inline-block size-2.5 ${ZONES[z]}`} aria-hidden="true" />
                {z}
              </span>
            ))}
          </span>
          <span>100 %</span>
        </div>
      </figure>
      <p className="mt-2 text-sm text-soft">
        {sides.map((s) => `${tried.records[s.index]!.toLocaleString()} of ${s.name}`).join(', ')};{' '}
        {tried.compared.toLocaleString()} pairs compared, {about(tried.missed)} that are one thing never compared.
      </p>
    </div>
  );
}

/** What learning from people's decisions changes, before it is taken. */
function Otherwise({ tried, likeness }: { tried: RecognisingTried; likeness: LikenessForm }) {
  const other = outcomeOf(tried.otherwise!, likeness.linkAt, likeness.askAt);
  const said = `${tried.judged.toLocaleString()} ${tried.judged === 1 ? 'pair was' : 'pairs were'} decided by people.`;
  return (
    <>
      {said} {likeness.learnsFromPeople ? 'Without learning from that' : 'Learned from, too,'}{' '}
      <strong className="font-semibold text-ink">{other.linked.toLocaleString()}</strong> would be linked by themselves,{' '}
      {about(other.wrong)} of them wrong, and{' '}
      <strong className="font-semibold text-ink">{other.asked.toLocaleString()}</strong> asked.
    </>
  );
}

/** Pairs to read at several levels, the likeliest first; each opens to what speaks for and against it. */
function Samples({ tried, likeness, sides }: { tried: RecognisingTried; likeness: LikenessForm; sides: Side[] }) {
  const [open, setOpen] = useState<number | null>(null);
  return (
    <section aria-labelledby="samples" className="mt-4">
      <h2 id="samples" className="font-semibold">
        Some pairs to read, at each level
      </h2>
      <table className="mt-1 w-full table-fixed border-y border-rule bg-sheet">
        <colgroup>
          <col className="w-[84px]" />
          <col className="w-[92px]" />
          <col />
          <col />
        </colgroup>
        <tbody>
          {tried.samples.map((s, i) => (
            <SampleRow
              key={i}
              sample={s}
              likeness={likeness}
              sides={sides}
              open={open === i}
              toggle={() => setOpen(open === i ? null : i)}
            />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function SampleRow({
  sample: s,
  likeness,
  sides,
  open,
  toggle,
}: {
  sample: SampledPair;
  likeness: LikenessForm;
  sides: Side[];
  open: boolean;
  toggle: () => void;
}) {
  const zone =
    s.sideA !== s.sideB && s.probability >= likeness.linkAt
      ? 'linked'
      : s.probability >= likeness.askAt
        ? 'asked'
        : 'different';
  return (
    <>
      <tr className="border-t border-rule align-top">
        <td className="px-3 py-1.5 text-right tabular-nums">
          <button
            type="button"
            aria-expanded={open}
            onClick={toggle}
            className="font-semibold underline decoration-dotted"
          >
            {percent(s.probability, s.probability > 0.99 ? 2 : 1)}
          </button>
        </td>
        <td
          className={
            zone === 'asked' ? 'py-1.5 text-alike' : zone === 'linked' ? 'py-1.5 text-action' : 'py-1.5 text-soft'
          }
        >
          {zone === 'asked' ? '? ' : zone === 'linked' ? '∞ ' : ''}
          {zone}
        </td>
        {(
          [
            [s.sideA, s.idA, s.a],
            [s.sideB, s.idB, s.b],
          ] as const
        ).map(([side, id, texts], n) => (
          <td key={n} className="px-2 py-1.5 break-words">
            <span className="flex items-start gap-2">
              <SystemTile of={sides[side]!} />
              <span className="min-w-0">
                {texts.filter(Boolean).join(' · ')} <span className="text-sm text-soft">{id}</span>
              </span>
            </span>
          </td>
        ))}
      </tr>
      {open && (
        <tr className="bg-alike-tint">
          <td />
          <td colSpan={3} className="px-2 py-2">
            <dl className="grid max-w-[60ch] grid-cols-[1fr_auto] gap-x-6">
              <dt className="text-soft">before any evidence</dt>
              <dd className="text-right tabular-nums">{signed(s.before)}</dd>
              {s.lines.map((l) => (
                <div key={l.fields.join()} className="contents">
                  <dt>
                    {l.fields.join(', ')} <span className="text-soft">{l.words}</span>
                  </dt>
                  <dd className="text-right tabular-nums">{signed(l.bits)}</dd>
                </div>
              ))}
              {s.relatives !== 0 && (
                <>
                  <dt className="text-soft">it fits relatives as well</dt>
                  <dd className="text-right tabular-nums">{signed(s.relatives)}</dd>
                </>
              )}
              {s.rivals !== 0 && (
                <>
                  <dt className="text-soft">others are as likely</dt>
                  <dd className="text-right tabular-nums">{signed(s.rivals)}</dd>
                </>
              )}
              <dt className="border-t border-alike font-semibold">together</dt>
              <dd className="border-t border-alike text-right font-semibold tabular-nums">
                {signed(
                  Math.round((s.before + s.lines.reduce((n, l) => n + l.bits, 0) + s.relatives + s.rivals) * 100) / 100,
                )}
              </dd>
            </dl>
          </td>
        </tr>
      )}
    </>
  );
}
