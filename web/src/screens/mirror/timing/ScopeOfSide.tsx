import { useId, useState } from 'react';
import type { DraftSettings, ScopeRow, ScopeRows, ScopeShown, ScopeTest, Side } from '../../../api/client';
import { useCatalogue, useScope } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { INPUT, Tick } from '../../../parts/inputs';
import { SystemTile } from '../../../parts/SystemTile';

type DraftSide = DraftSettings['sides'][number];
type Asked = { formula: string | null; conditions: ScopeRows | null };

const TESTS: [ScopeTest, string][] = [
  ['is', 'is'],
  ['isNot', 'is not'],
  ['isOneOf', 'is one of'],
  ['isNoneOf', 'is none of'],
  ['isFilled', 'is filled'],
  ['isEmpty', 'is empty'],
  ['contains', 'contains'],
  ['beginsWith', 'begins with'],
  ['atLeast', 'is at least'],
  ['moreThan', 'is more than'],
  ['atMost', 'is at most'],
  ['lessThan', 'is less than'],
];

const needsNone = (test: ScopeTest) => test === 'isEmpty' || test === 'isFilled';
const takesMany = (test: ScopeTest) => test === 'isOneOf' || test === 'isNoneOf';
const NEW: ScopeRow = { path: '', test: 'is', values: [] };

/** Which records of one side take part: conditions put together by hand, or a formula, counted on the records that there are. */
export function ScopeOfSide({
  mirrorKey,
  side,
  own,
  keep,
}: {
  mirrorKey: string;
  side: Side;
  own: DraftSide;
  keep: (what: string, some: Partial<DraftSide>) => void;
}) {
  const saved = own.scope ?? null;
  const [asked, setAsked] = useState<Asked | null>(saved === null ? null : { formula: saved, conditions: null });
  const [asFormula, setAsFormula] = useState(false);
  const shown = useScope(mirrorKey, side.index, asked);
  const fields = useCatalogue(side.system).data?.find((c) => c.name === side.collection)?.fields ?? [];
  const rows = asked?.conditions ?? (asFormula ? null : (shown.data?.conditions ?? null));
  const isFormula = asked !== null && rows === null;
  const all = () => {
    setAsked(null);
    setAsFormula(false);
    if (saved !== null) keep(`Every record of ${side.name} takes part`, { scope: null });
  };
  const change = (next: ScopeRows) => setAsked({ formula: null, conditions: next });
  const answer = shown.data;
  const unsaved = answer && !answer.problem && answer.formula !== (saved ?? '') && !shown.isFetching;
  return (
    <li className="px-4 py-3">
      <div className="flex items-center gap-2">
        <SystemTile of={side} />
        <span className="font-semibold">{side.name}</span>
        <span className="text-soft">{side.collection}</span>
        <span className="ml-auto flex gap-2">
          {asked === null ? (
            <>
              <span className="self-center text-soft">Every one of them takes part.</span>
              <Button onClick={() => change({ all: true, rows: [NEW] })}>Choose which…</Button>
            </>
          ) : (
            <>
              {!isFormula && answer?.formula && (
                <Button
                  onClick={() => {
                    setAsked({ formula: answer.formula, conditions: null });
                    setAsFormula(true);
                  }}
                >
                  As a formula
                </Button>
              )}
              {isFormula && asFormula && answer?.conditions && (
                <Button onClick={() => setAsFormula(false)}>As conditions</Button>
              )}
              <Button onClick={all}>Let all take part</Button>
            </>
          )}
        </span>
      </div>
      {asked !== null && (
        <div className="mt-2">
          {rows ? (
            <Conditions
              rows={rows}
              change={change}
              fields={fields.map((f) => [f.path, f.label])}
              seen={answer?.seen ?? []}
            />
          ) : (
            isFormula && (
              <textarea
                aria-label={`Scope of ${side.name} as a formula`}
                className="h-16 w-full rounded border border-rule bg-sheet px-2 py-1 font-mono text-sm"
                value={asked.formula ?? ''}
                spellCheck={false}
                onChange={(e) => setAsked({ formula: e.target.value, conditions: null })}
              />
            )
          )}
          {answer?.problem ? (
            <p className="mt-2 text-held" role="status">
              {answer.problem}
            </p>
          ) : (
            answer && <Covered answer={answer} side={side} />
          )}
          {unsaved && (
            <div className="mt-2 flex items-center gap-3">
              <Button
                primary
                onClick={() => keep(`Scope of ${side.name}: ${answer.words}`.slice(0, 200), { scope: answer.formula })}
              >
                Keep this scope
              </Button>
              <span className="text-soft">In the draft; what is live changes by publishing.</span>
            </div>
          )}
          {saved !== null && (
            <div className="mt-3 max-w-[60ch] text-sm">
              <Tick
                on={own.leaving === 'removeFollowers'}
                set={(on) =>
                  keep(
                    `What leaves the scope of ${side.name} is ${on ? 'removed where it only follows' : 'left as it is'}`,
                    {
                      leaving: on ? 'removeFollowers' : 'stopFollowing',
                    },
                  )
                }
              >
                A record that is in the scope no more is removed on the sides that only follow. Otherwise it is left as
                it is, and followed no more.
              </Tick>
            </div>
          )}
        </div>
      )}
    </li>
  );
}

function Conditions({
  rows,
  change,
  fields,
  seen,
}: {
  rows: ScopeRows;
  change: (rows: ScopeRows) => void;
  fields: [string, string | null][];
  seen: ScopeShown['seen'];
}) {
  const list = useId();
  const set = (at: number, some: Partial<ScopeRow>) =>
    change({ ...rows, rows: rows.rows.map((r, i) => (i === at ? { ...r, ...some } : r)) });
  return (
    <div className="space-y-1.5">
      <datalist id={list}>
        {fields.map(([path, label]) => (
          <option key={path} value={path}>
            {label ?? path}
          </option>
        ))}
      </datalist>
      {rows.rows.map((row, at) => (
        <div key={at} className="grid grid-cols-[52px_220px_130px_minmax(0,1fr)_28px] items-start gap-2">
          <span className="pt-1 text-right text-soft">
            {at === 0 ? (
              'where'
            ) : at === 1 ? (
              <select
                aria-label="How conditions go together"
                className="h-[26px] rounded border border-rule bg-sheet"
                value={rows.all ? 'and' : 'or'}
                onChange={(e) => change({ ...rows, all: e.target.value === 'and' })}
              >
                <option>and</option>
                <option>or</option>
              </select>
            ) : rows.all ? (
              'and'
            ) : (
              'or'
            )}
          </span>
          <input
            aria-label={`Condition ${at + 1}: field`}
            className={INPUT}
            list={list}
            value={row.path}
            placeholder="a field"
            onChange={(e) => set(at, { path: e.target.value })}
          />
          <select
            aria-label={`Condition ${at + 1}: what it asks`}
            className={INPUT}
            value={row.test}
            onChange={(e) => {
              const test = e.target.value as ScopeTest;
              set(at, { test, values: needsNone(test) ? [] : takesMany(test) ? row.values : row.values.slice(0, 1) });
            }}
          >
            {TESTS.map(([test, words]) => (
              <option key={test} value={test}>
                {words}
              </option>
            ))}
          </select>
          {needsNone(row.test) ? (
            <span />
          ) : (
            <Values
              at={at}
              many={takesMany(row.test)}
              values={row.values}
              seen={seen.find((s) => s.path === row.path)?.values ?? []}
              set={(values) => set(at, { values })}
            />
          )}
          <button
            type="button"
            aria-label={`Take condition ${at + 1} out`}
            className="h-[30px] text-soft hover:text-ink disabled:opacity-30"
            disabled={rows.rows.length === 1}
            onClick={() => change({ ...rows, rows: rows.rows.filter((_, i) => i !== at) })}
          >
            ×
          </button>
        </div>
      ))}
      <div className="pl-[60px]">
        <button
          type="button"
          className="font-semibold text-action hover:underline"
          onClick={() => change({ ...rows, rows: [...rows.rows, NEW] })}
        >
          + Another condition
        </button>
      </div>
    </div>
  );
}

/** What a field is compared with: one value, or several as a list of them. */
function Values({
  at,
  many,
  values,
  seen,
  set,
}: {
  at: number;
  many: boolean;
  values: string[];
  seen: string[];
  set: (values: string[]) => void;
}) {
  const [typed, setTyped] = useState('');
  const list = useId();
  const add = (text: string) => {
    const value = text.trim();
    if (value && !values.includes(value)) set([...values, value]);
    setTyped('');
  };
  const options = (
    <datalist id={list}>
      {seen.map((v) => (
        <option key={v} value={v} />
      ))}
    </datalist>
  );
  if (!many)
    return (
      <>
        {options}
        <input
          aria-label={`Condition ${at + 1}: value`}
          className={INPUT}
          list={list}
          value={values[0] ?? ''}
          onChange={(e) => set(e.target.value === '' ? [] : [e.target.value])}
        />
      </>
    );
  return (
    <div className="flex min-h-[30px] flex-wrap items-center gap-1 rounded border border-rule bg-sheet px-1 py-0.5">
      {options}
      {values.map((v) => (
        <span key={v} className="flex items-center gap-1 rounded-[3px] bg-spine px-1.5 text-spine-ink">
          {v}
          <button type="button" aria-label={`Take ${v} out`} onClick={() => set(values.filter((x) => x !== v))}>
            ×
          </button>
        </span>
      ))}
      <input
        aria-label={`Condition ${at + 1}: another value`}
        className="h-[24px] min-w-[120px] flex-1 bg-transparent px-1"
        list={list}
        value={typed}
        placeholder={values.length === 0 ? 'a value, then Enter' : ''}
        onChange={(e) => {
          // One that is chosen from the list is added at once.
          if (seen.includes(e.target.value)) add(e.target.value);
          else setTyped(e.target.value);
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            e.preventDefault();
            add(typed);
          } else if (e.key === 'Backspace' && typed === '' && values.length > 0) set(values.slice(0, -1));
        }}
        onBlur={() => add(typed)}
      />
    </div>
  );
}

/** How many records take part, and some of them on either side of the line. */
function Covered({ answer, side }: { answer: ScopeShown; side: Side }) {
  const outside = answer.looked - answer.covered - answer.cantTell;
  return (
    <div className="mt-2">
      <p role="status">
        <strong className="font-semibold">{answer.covered.toLocaleString()}</strong> of{' '}
        {answer.isAll ? '' : 'the first '}
        {answer.looked.toLocaleString()} take part, {outside.toLocaleString()} do not
        {answer.cantTell > 0 && (
          <span className="text-held">
            , {answer.cantTell.toLocaleString()} can’t be told and are held. {answer.whyNot}
          </span>
        )}
        .
      </p>
      <div className="mt-1 h-1.5 w-full max-w-[420px] bg-ground" aria-hidden="true">
        <div
          className="h-full bg-bar"
          style={{ width: `${answer.looked ? (100 * answer.covered) / answer.looked : 0}%` }}
        />
      </div>
      <div className="mt-2 grid grid-cols-2 gap-4">
        <Examples title="Takes part, for example" rows={answer.in} side={side} />
        <Examples title="Does not, for example" rows={answer.out} side={side} />
      </div>
    </div>
  );
}

function Examples({ title, rows, side }: { title: string; rows: ScopeShown['in']; side: Side }) {
  return (
    <div className="min-w-0">
      <h3 className="text-sm font-semibold text-soft">{title}</h3>
      {rows.length === 0 && <p className="text-soft">None of {side.name}.</p>}
      <ul>
        {rows.map((r) => (
          <li key={r.id} className="flex gap-2 border-t border-rule py-1" title={r.id}>
            <span className="min-w-0 flex-1 truncate">{r.title}</span>
            <span className="max-w-[50%] truncate text-soft">{r.says.map((s) => s || 'empty').join(' · ')}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
