import { useRef, useState } from 'react';
import type { CodesSeen, ConversionForm, UnknownForm } from '../../../api/client';
import { useCodeLists, useSaveCodeList, useSeenCodes } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { Notice } from '../../../parts/States';
import { codesFromCsv, codesToCsv } from './edits';
import { INPUT, Captioned } from '../../../parts/inputs';

/** A code list: the field's own, or one that mirrors share. Filled from the values that were seen, by hand, or from a file. */
export function CodeListEditor({
  mirrorKey,
  side,
  sideName,
  path,
  field,
  list,
  keepList,
}: {
  mirrorKey: string;
  side: number;
  sideName: string;
  path: string;
  field: string;
  list: ConversionForm;
  keepList: (list: ConversionForm) => void;
}) {
  const shared = useCodeLists();
  const saveShared = useSaveCodeList();
  const seen = useSeenCodes(mirrorKey);
  const [problem, setProblem] = useState<string | null>(null);
  const [naming, setNaming] = useState<string | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const known = shared.data?.find((l) => l.name === list.name);
  const rows = known?.codes ?? list.codes ?? [];
  const unknowns = {
    unknownToAgreed: (known ? known.unknownToAgreed : list.unknownToAgreed) ?? null,
    unknownToSide: (known ? known.unknownToSide : list.unknownToSide) ?? null,
  };
  const keep = (codes: string[][], others: typeof unknowns = unknowns) => {
    setProblem(null);
    if (list.name) saveShared.mutate({ name: list.name, codes, ...others });
    else keepList({ ...list, codes, ...others });
  };
  const fill = () =>
    seen.mutate(
      { side, path, field },
      {
        onSuccess: (found) => {
          const have = new Set(rows.map(([code]) => code!.toLowerCase()));
          const more = found.codes.filter((c) => !have.has(c.code.toLowerCase())).map((c) => [c.code, c.agreed ?? '']);
          if (more.some(([, agreed]) => agreed !== '')) keep([...rows, ...more.filter(([, agreed]) => agreed !== '')]);
        },
      },
    );
  const load = async (chosen: File) => {
    try {
      if (chosen.size > 1_000_000) throw new Error('A code list file has at most 1 MB.');
      keep(codesFromCsv(await chosen.text()));
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  return (
    <div className="space-y-2">
      <Captioned label="Which list">
        <select
          className={INPUT}
          value={list.name ?? ''}
          onChange={(e) =>
            keepList({
              ...list,
              name: e.target.value || null,
              codes: e.target.value ? [] : rows,
              ...(e.target.value ? {} : unknowns),
            })
          }
        >
          <option value="">this field's own</option>
          {shared.data?.map((l) => (
            <option key={l.name} value={l.name}>
              {l.name} ({l.codes.length} codes, shared)
            </option>
          ))}
        </select>
      </Captioned>
      {known && (
        <p className="text-sm text-soft">
          Shared{known.mirrors.length > 0 ? ` by ${known.mirrors.join(', ')}` : ''}. A change counts at once, from the
          next run on; {known.changedBy} changed it last.
        </p>
      )}
      <Rows key={JSON.stringify(rows)} rows={rows} sideName={sideName} agreed={seen.data?.agreed ?? []} keep={keep} />
      {seen.data && <NotPaired seen={seen.data} rows={rows} keep={keep} />}
      <div className="flex flex-wrap gap-1.5">
        <Button onClick={fill} disabled={seen.isPending}>
          {seen.isPending ? 'Looking…' : 'Fill from values seen'}
        </Button>
        <Button onClick={() => file.current?.click()}>Load CSV</Button>
        <Button disabled={rows.length === 0} onClick={() => download(`${list.name ?? field}.csv`, codesToCsv(rows))}>
          Save CSV
        </Button>
        {!list.name && rows.length > 0 && naming === null && (
          <Button onClick={() => setNaming(`${field} codes of ${sideName}`)}>Share it…</Button>
        )}
        <input
          ref={file}
          type="file"
          accept=".csv,text/csv,text/plain"
          aria-label="Code list file"
          className="sr-only"
          tabIndex={-1}
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            e.target.value = '';
            if (chosen) void load(chosen);
          }}
        />
      </div>
      {naming !== null && (
        <form
          className="flex gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            saveShared.mutate(
              { name: naming.trim(), codes: rows, ...unknowns },
              {
                onSuccess: () => {
                  setNaming(null);
                  keepList({ ...list, name: naming.trim(), codes: [] });
                },
              },
            );
          }}
        >
          <input
            aria-label="Name of the shared list"
            className={INPUT}
            value={naming}
            maxLength={80}
            autoFocus
            onChange={(e) => setNaming(e.target.value)}
          />
          <Button type="submit" primary disabled={naming.trim() === ''}>
            Share
          </Button>
        </form>
      )}
      <Unknown
        label="A code that is not in it"
        value={unknowns.unknownToAgreed}
        set={(u) => keep(rows, { ...unknowns, unknownToAgreed: u })}
      />
      <Unknown
        label={`An agreed value that ${sideName} has no code for`}
        value={unknowns.unknownToSide}
        set={(u) => keep(rows, { ...unknowns, unknownToSide: u })}
      />
      {problem && <Notice>{problem}</Notice>}
      {seen.isError && <Notice>{seen.error.message}</Notice>}
      {saveShared.isError && <Notice>{saveShared.error.message}</Notice>}
    </div>
  );
}

function Rows({
  rows,
  sideName,
  agreed,
  keep,
}: {
  rows: string[][];
  sideName: string;
  agreed: string[];
  keep: (rows: string[][]) => void;
}) {
  const [typed, setTyped] = useState<string[][]>([...rows, ['', '']]);
  const type = (i: number, column: number, text: string) => {
    const next = typed.map((r, n) => (n === i ? r.map((v, c) => (c === column ? text : v)) : r));
    setTyped(i === typed.length - 1 ? [...next, ['', '']] : next);
  };
  const leave = () => {
    const whole = typed.filter(([code, value]) => code!.trim() !== '' && value!.trim() !== '');
    if (JSON.stringify(whole) !== JSON.stringify(rows)) keep(whole);
  };
  return (
    <table className="w-full table-fixed text-sm">
      <thead className="text-left text-soft">
        <tr>
          <th className="font-semibold">{sideName}</th>
          <th className="font-semibold">Agreed</th>
          <th className="w-6">
            <span className="sr-only">Take out</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {typed.map(([code, value], i) => (
          <tr key={i} className="border-t border-rule">
            <td>
              <input
                aria-label={`Code ${i + 1}`}
                className="h-7 w-full bg-transparent px-1 hover:bg-ground"
                value={code}
                placeholder={i === typed.length - 1 ? 'add a code' : ''}
                onChange={(e) => type(i, 0, e.target.value)}
                onBlur={leave}
              />
            </td>
            <td>
              <input
                aria-label={`Agreed value ${i + 1}`}
                className="h-7 w-full bg-transparent px-1 hover:bg-ground"
                list="agreed-values"
                value={value}
                onChange={(e) => type(i, 1, e.target.value)}
                onBlur={leave}
              />
            </td>
            <td>
              {i < typed.length - 1 && (
                <button
                  type="button"
                  aria-label={`Take ${code || 'this row'} out`}
                  className="min-h-6 min-w-6 text-soft hover:text-ink"
                  onClick={() => keep(rows.filter((_, n) => n !== i))}
                >
                  ×
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
      <datalist id="agreed-values">
        {agreed.map((a) => (
          <option key={a} value={a} />
        ))}
      </datalist>
    </table>
  );
}

/** Codes that were seen and stand in no row yet; those with a likely meaning can be taken with it. */
function NotPaired({ seen, rows, keep }: { seen: CodesSeen; rows: string[][]; keep: (rows: string[][]) => void }) {
  const have = new Map(rows.map(([code, agreed]) => [code!.toLowerCase(), agreed!]));
  const missing = seen.codes.filter((c) => !have.has(c.code.toLowerCase()));
  const unsure = seen.codes.filter(
    (c) => c.agreed !== null && c.confidence < 0.85 && have.get(c.code.toLowerCase()) === c.agreed,
  );
  return (
    <div className="text-sm" aria-live="polite">
      <p className="text-soft">
        {seen.codes.length} {seen.codes.length === 1 ? 'code' : 'codes'} seen in {seen.looked.toLocaleString()} records.
      </p>
      {unsure.length > 0 && (
        <p className="mt-1 border-l-4 border-alike bg-alike-tint px-2 py-1">
          <span aria-hidden="true">? </span>
          Look at {unsure.map((c) => `${c.code} for ${c.agreed} (${c.why})`).join(', ')}.
        </p>
      )}
      {missing.length > 0 && (
        <p className="mt-1 border-l-4 border-held bg-held-tint px-2 py-1">
          <span aria-hidden="true">△ </span>
          No meaning was found for{' '}
          {missing.slice(0, 12).map((c, i) => (
            <span key={c.code}>
              {i > 0 && ', '}
              <button
                type="button"
                className="underline"
                onClick={() => keep([...rows, [c.code, c.code]])}
                title={`Add ${c.code} for ${c.code}, to change it`}
              >
                {c.code}
              </button>{' '}
              ({c.count})
            </span>
          ))}
          {missing.length > 12 && ` and ${missing.length - 12} more`}. Press one to add it.
        </p>
      )}
    </div>
  );
}

function Unknown({
  label,
  value,
  set,
}: {
  label: string;
  value: UnknownForm | null;
  set: (u: UnknownForm | null) => void;
}) {
  const [stand, setStand] = useState(value?.stand ?? '');
  const [asking, setAsking] = useState(false);
  const kind = asking ? 'value' : (value?.kind ?? 'hold');
  return (
    <div>
      <Captioned label={label}>
        <select
          className={INPUT}
          value={kind}
          onChange={(e) => {
            const next = e.target.value as UnknownForm['kind'];
            setAsking(next === 'value');
            if (next !== 'value') set(next === 'hold' ? null : { kind: next, stand: null });
          }}
        >
          <option value="hold">holds its record</option>
          <option value="pass">goes as it stands</option>
          <option value="value">becomes…</option>
        </select>
      </Captioned>
      {kind === 'value' && (
        <input
          aria-label={`${label} becomes`}
          className={`mt-1 ${INPUT}`}
          value={stand}
          autoFocus={asking}
          onChange={(e) => setStand(e.target.value)}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
          onBlur={() => {
            if (stand.trim() !== '' && stand.trim() !== value?.stand) set({ kind: 'value', stand: stand.trim() });
            setAsking(false);
          }}
        />
      )}
    </div>
  );
}

function download(name: string, text: string) {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
