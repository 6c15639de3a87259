import { useState } from 'react';
import { Link } from 'react-router';
import type { DraftPage, FieldForm, Side } from '../../api/client';
import { useDraft, useEditDraft, useMoveDraft, useSettling } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Captioned, INPUT } from '../../parts/inputs';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { DraftBar } from './bench/DraftBar';
import { RULES, inWords, ranked, rulesFor, unitsOf, withUnit, type Unit } from './units';

/** What settles each field, or group of fields, when its sides say different things: edited in the draft, and tried on the differences that there really are. */
export function Settling({ mirrorKey, check }: { mirrorKey: string; check: () => void }) {
  const draft = useDraft(mirrorKey, 1, '');
  const { edit, error } = useEditDraft(mirrorKey);
  const move = useMoveDraft(mirrorKey);
  const [chosen, choose] = useState<string | null>(null);
  if (draft.isPending) return <Loading what="what settles the fields" />;
  if (draft.isError) return <Failing error={draft.error} retry={() => void draft.refetch()} />;
  const page = draft.data;
  const units = unitsOf(page.fields);
  const unit = units.find((u) => u.name === chosen) ?? units.find((u) => u.fields[0]!.rule === 'ask') ?? units[0];
  const set = (what: string, of: Unit, change: Partial<FieldForm>) => edit(what, withUnit(page.fields, of, change));
  return (
    <>
      <DraftBar
        draft={page}
        move={move.mutate}
        busy={move.isPending}
        check={check}
        discardQuestion={`Throw away ${page.step} edits? What is live stays as it is. This can't be undone.`}
      />
      {error && <Notice>{error.message}</Notice>}
      {!unit ? (
        <Empty title="Nothing is mapped that two sides could differ in." />
      ) : (
        <>
          <div className="grid grid-cols-[minmax(0,1fr)_340px] items-start gap-5">
            <table className="w-full border-y border-rule bg-sheet">
              <thead className="text-left text-sm text-soft">
                <tr className="[&>th]:px-3 [&>th]:py-1.5 [&>th]:font-semibold">
                  <th>Field</th>
                  <th>Given by</th>
                  <th>Settled by</th>
                  <th>At first</th>
                </tr>
              </thead>
              <tbody>
                {units.map((u) => (
                  <tr
                    key={u.name}
                    aria-selected={u === unit}
                    className={`border-t border-rule [&>td]:px-3 [&>td]:py-[7px] ${u === unit ? 'bg-spine' : ''}`}
                  >
                    <td>
                      <button
                        type="button"
                        className="text-left font-semibold hover:underline"
                        onClick={() => choose(u.name)}
                      >
                        {u.name}
                      </button>
                      {u.fields.length > 1 && (
                        <span className="block text-sm text-soft">{u.fields.map((f) => f.name).join(', ')}</span>
                      )}
                    </td>
                    <td>
                      <span className="flex gap-1">
                        {u.givers.map((s) => (
                          <SystemTile key={s} of={page.sides[s]!} />
                        ))}
                      </span>
                    </td>
                    <td>
                      {u.givers.length < 2 ? (
                        <span className="text-soft">only {page.sides[u.givers[0]!]?.name ?? 'nobody'}</span>
                      ) : (
                        inWords(u.fields[0]!, page.sides)
                      )}
                    </td>
                    <td className="text-soft">
                      {u.givers.length < 2 ? '' : RULES[u.fields[0]!.firstMeeting]?.toLowerCase()}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <div className="sticky top-0 space-y-4">
              <UnitEditor key={unit.name} unit={unit} page={page} set={set} />
            </div>
          </div>
          {unit.givers.length > 1 && (
            <div className="mt-5">
              <AtHand
                key={unit.name}
                mirrorKey={mirrorKey}
                unit={unit}
                sides={page.sides}
                take={(what, c) => set(what, unit, c)}
              />
            </div>
          )}
        </>
      )}
    </>
  );
}

function UnitEditor({
  unit,
  page,
  set,
}: {
  unit: Unit;
  page: DraftPage;
  set: (what: string, of: Unit, change: Partial<FieldForm>) => void;
}) {
  const field = unit.fields[0]!;
  const [states, setStates] = useState(field.states.join(', '));
  const [formula, setFormula] = useState(field.ruleFormula ?? '');
  const givers = page.sides.filter((s) => unit.givers.includes(s.index));
  const rank = ranked(field.rank, page.sides).filter((s) => unit.givers.includes(s.index));
  const taken = states
    .split(',')
    .map((s) => s.trim())
    .filter(Boolean);
  const drifting = unit.fields.flatMap((f) =>
    f.cells.flatMap((c, s) => (c && c.takes && !c.gives ? [{ field: f, side: page.sides[s]!, drift: c.drift }] : [])),
  );
  return (
    <section aria-label={`How ${unit.name} is settled`} className="space-y-3 border-y border-rule bg-sheet px-4 py-3">
      <h2 className="font-semibold">{unit.name}</h2>
      {unit.givers.length < 2 ? (
        <p className="text-soft">One side alone says it: there is nothing to settle.</p>
      ) : (
        <>
          <Captioned label="When sides change it differently">
            <select
              className={INPUT}
              value={field.rule}
              onChange={(e) =>
                set(`Settle ${unit.name} by ${RULES[e.target.value]!.toLowerCase()}`, unit, { rule: e.target.value })
              }
            >
              {rulesFor(unit).map((r) => (
                <option key={r} value={r}>
                  {RULES[r]}
                </option>
              ))}
            </select>
          </Captioned>
          {field.rule === 'formula' && (
            <Captioned label="The formula over what the sides say">
              <textarea
                className={`${INPUT} !h-20 py-1.5 font-mono text-sm`}
                value={formula}
                placeholder={`IF([${givers[0]?.name}] = ""; [${givers[1]?.name}]; [${givers[0]?.name}])`}
                onChange={(e) => setFormula(e.target.value)}
                onBlur={() =>
                  formula.trim() !== (field.ruleFormula ?? '') &&
                  set(`Settle ${unit.name} by a formula`, unit, { ruleFormula: formula.trim() })
                }
              />
              <span className="mt-1 block text-sm font-normal text-soft">
                {givers.map((s) => `[${s.name}]`).join(', ')} and <code className="font-mono">before</code>, what was
                agreed. Where it gives no value, a person is asked.
              </span>
            </Captioned>
          )}
          <Captioned label="When they meet for the first time">
            <select
              className={INPUT}
              value={field.firstMeeting}
              onChange={(e) =>
                set(`First meeting of ${unit.name}: ${RULES[e.target.value]!.toLowerCase()}`, unit, {
                  firstMeeting: e.target.value,
                })
              }
            >
              {rulesFor(unit)
                .filter((r) => r !== 'formula')
                .map((r) => (
                  <option key={r} value={r}>
                    {RULES[r]}
                  </option>
                ))}
            </select>
          </Captioned>
          <div>
            <p className="mb-1 text-sm font-semibold text-soft">Rank, and what decides where the rule can’t</p>
            <ol className="space-y-1">
              {rank.map((s, i) => (
                <li key={s.index} className="flex items-center gap-2">
                  <span className="w-4 text-right text-soft">{i + 1}</span>
                  <SystemTile of={s} /> <span className="min-w-0 flex-1 truncate">{s.name}</span>
                  {i > 0 && (
                    <Button
                      className="!h-6 !px-2"
                      aria-label={`${s.name} up`}
                      onClick={() => {
                        const next = rank.map((r) => r.system);
                        [next[i - 1], next[i]] = [next[i]!, next[i - 1]!];
                        set(`Rank of ${unit.name}: ${page.sides.find((x) => x.system === next[0])?.name} first`, unit, {
                          rank: next,
                        });
                      }}
                    >
                      Up
                    </Button>
                  )}
                </li>
              ))}
            </ol>
          </div>
          {(field.rule === 'furthest' || field.firstMeeting === 'furthest') && (
            <Captioned label="States, the furthest last, with commas between">
              <input
                className={INPUT}
                value={states}
                onChange={(e) => setStates(e.target.value)}
                onBlur={() =>
                  taken.join() !== field.states.join() && set(`States of ${unit.name}`, unit, { states: taken })
                }
                onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
              />
            </Captioned>
          )}
        </>
      )}
      {drifting.map(({ field: f, side, drift }) => (
        <Captioned key={f.name + side.index} label={`${f.name} changed in ${side.name}, which only takes it`}>
          <select
            className={INPUT}
            value={drift}
            onChange={(e) =>
              set(
                `${f.name} changed in ${side.name}: ${DRIFTS[e.target.value]}`,
                { ...unit, fields: [f] },
                {
                  cells: f.cells.map((c, s) =>
                    c && s === side.index ? { ...c, drift: e.target.value as typeof drift } : c,
                  ),
                },
              )
            }
          >
            {Object.entries(DRIFTS).map(([id, words]) => (
              <option key={id} value={id}>
                {words}
              </option>
            ))}
          </select>
        </Captioned>
      ))}
    </section>
  );
}

const DRIFTS: Record<string, string> = {
  putBack: 'it is put back',
  leave: 'it is left as it is',
  hold: 'the record is held, and you are told',
};

/** The differences that there really are, and what each rule would make of them. */
function AtHand({
  mirrorKey,
  unit,
  sides,
  take,
}: {
  mirrorKey: string;
  unit: Unit;
  sides: Side[];
  take: (what: string, change: Partial<FieldForm>) => void;
}) {
  const formula = unit.fields[0]!.rule === 'formula' ? (unit.fields[0]!.ruleFormula ?? '') : '';
  const settling = useSettling(mirrorKey, unit.fields[0]!.name, formula);
  const [at, setAt] = useState(0);
  if (settling.isPending) return <Loading what="the differences at hand" />;
  if (settling.isError)
    return <p className="text-soft">It is new in this draft: no differences are known of it yet.</p>;
  const { rules, differences, open, past, formulaProblem } = settling.data;
  const field = unit.fields[0]!;
  const text = (values: string[] | null | undefined) => values?.map((v) => v || 'empty').join(', ');
  return (
    <section aria-label="Differences at hand">
      <h2 className="border-b border-rule py-1.5 font-semibold">
        What each rule would make of the differences at hand{' '}
        <span className="font-normal text-soft">
          {open.toLocaleString()} open, {past.toLocaleString()} decided by people
        </span>
      </h2>
      {formulaProblem && <Notice>{formulaProblem}</Notice>}
      {differences.length === 0 ? (
        <Empty title="No difference yet.">
          Conflicts about {unit.name} that are open, and those that people decided, are tried here under every rule.
        </Empty>
      ) : (
        <>
          <ul aria-label="Rules" className="flex flex-wrap gap-1 py-2">
            {rules.map((r, i) => {
              const today =
                r.rule === field.rule && (r.rank.length === 0 || ranked(field.rank, sides)[0]?.system === r.rank[0]);
              return (
                <li key={r.words}>
                  <button
                    type="button"
                    aria-pressed={i === at}
                    onClick={() => setAt(i)}
                    className={`rounded border px-2.5 py-1 text-left ${i === at ? 'border-action bg-sheet' : 'border-rule hover:bg-sheet'}`}
                  >
                    <span className="font-semibold">{r.words}</span>
                    {today && <span className="text-soft"> (in the draft)</span>}
                    <span className="block text-sm text-soft">
                      {open > 0 && `settles ${r.settles} open`}
                      {open > 0 && past > 0 && ', '}
                      {past > 0 && `as people did in ${r.agrees} of ${past}`}
                    </span>
                  </button>
                </li>
              );
            })}
          </ul>
          <table className="w-full table-fixed border-y border-rule bg-sheet">
            <thead className="text-left text-sm text-soft">
              <tr className="[&>th]:px-3 [&>th]:py-1.5 [&>th]:font-semibold">
                <th className="w-[240px]">Record</th>
                <th>The sides say</th>
                <th className="w-[210px]">A person decided</th>
                <th className="w-[230px] bg-spine text-spine-ink">{rules[at]!.words} would choose</th>
              </tr>
            </thead>
            <tbody>
              {differences.map((d) => {
                const would = text(d.would[at]);
                const decided = text(d.decided);
                return (
                  <tr key={d.id} className="border-t border-rule [&>td]:truncate [&>td]:px-3 [&>td]:py-[7px]">
                    <td title={d.title}>
                      {d.decided ? (
                        d.title
                      ) : (
                        <Link to={`/conflicts/${d.id}`} className="hover:underline">
                          {d.title}
                        </Link>
                      )}
                    </td>
                    <td title={d.competing.map((c) => `${c.name ?? 'a person'}: ${text(c.values)}`).join(' · ')}>
                      {d.competing.map((c) => text(c.values)).join(' · ')}
                    </td>
                    <td className="text-soft">{decided ?? 'nobody yet'}</td>
                    <td
                      className={`bg-spine ${would && decided && would !== decided ? 'text-held' : 'text-spine-ink'}`}
                    >
                      {would ?? 'it would ask'}
                      {would && decided && would !== decided && ' (otherwise)'}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          <Button
            className="mt-2"
            onClick={() =>
              take(`Settle ${unit.name}: ${rules[at]!.words}`, {
                rule: rules[at]!.rule,
                ...(rules[at]!.rank.length > 0
                  ? {
                      rank: [
                        ...rules[at]!.rank,
                        ...ranked(field.rank, sides)
                          .map((s) => s.system)
                          .filter((s) => s !== rules[at]!.rank[0]),
                      ],
                    }
                  : {}),
              })
            }
          >
            Settle {unit.name} so
          </Button>
        </>
      )}
    </section>
  );
}
