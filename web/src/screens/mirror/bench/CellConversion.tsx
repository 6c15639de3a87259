import { useDeferredValue, useState } from 'react';
import { Link } from 'react-router';
import type { CellForm, ConversionForm, DraftPage, FieldForm, Tried } from '../../../api/client';
import { useCatalogue, useLearn, useMirrors, useTried } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { Notice } from '../../../parts/States';
import { CodeListEditor } from './CodeListEditor';
import { CONVERSIONS } from './edits';
import { FormulaEditor } from './FormulaEditor';
import { INPUT, Captioned } from '../../../parts/inputs';

/** How a side's values become the agreed ones and back, tried on real values at each keystroke. */
export function CellConversion({
  mirrorKey,
  page,
  side,
  field,
  cell,
  inLines,
  keep,
}: {
  mirrorKey: string;
  page: DraftPage;
  side: number;
  field: FieldForm;
  cell: CellForm;
  /** A field of lines: its values are not tried one by one. */
  inLines: boolean;
  keep: (what: string, cell: CellForm) => void;
}) {
  const { name: sideName, system, collection } = page.sides[side]!;
  const catalogue = useCatalogue(system);
  const others = (useMirrors().data ?? []).filter((m) => m.key !== mirrorKey && m.version > 0);
  const fieldsOfSide = [
    'value',
    ...(catalogue.data?.find((c) => c.name === collection)?.fields ?? []).map((f) => f.path),
  ];
  const [typed, setTyped] = useState<ConversionForm>(cell.conversion);
  const [kept, setKept] = useState(said(cell.conversion));
  const [own, setOwn] = useState(kept);
  if (kept !== said(cell.conversion)) {
    // Undone, done again or changed elsewhere: what is typed follows. What was typed here may be ahead of what is kept already.
    setKept(said(cell.conversion));
    if (said(cell.conversion) !== own) setTyped(cell.conversion);
  }
  const settled = useDeferredValue(typed);
  const tried = useTried(
    mirrorKey,
    side,
    field.type,
    inLines || settled.kind === 'reference' ? null : { ...cell, conversion: settled },
  );
  const [showing, setShowing] = useState(false);
  const save = (conversion: ConversionForm) => {
    if (said(conversion) === said(cell.conversion)) return;
    setOwn(said(conversion));
    keep(`Convert ${cell.path} by ${CONVERSIONS[conversion.kind]}`, { ...cell, conversion });
  };
  const use = (conversion: ConversionForm) => {
    setTyped(conversion);
    save(conversion);
  };
  const formula = (some: Partial<ConversionForm>) => ({ ...typed, kind: 'formula', ...some });
  return (
    <div className="space-y-3">
      <Captioned label="Converted as">
        <select
          className={INPUT}
          value={typed.kind}
          onChange={(e) =>
            use({
              kind: e.target.value,
              form: e.target.value === 'phone' ? 'international' : null,
              codes: e.target.value === 'codeList' ? (cell.conversion.codes ?? []) : null,
              name: null,
              unknownToAgreed: null,
              unknownToSide: null,
              toAgreed: null,
              toSide: null,
            })
          }
        >
          {Object.entries(CONVERSIONS).map(([id, words]) => (
            <option key={id} value={id}>
              {words}
            </option>
          ))}
        </select>
      </Captioned>
      {typed.kind === 'phone' && (
        <Captioned label={`${sideName} writes it as`}>
          <select
            className={INPUT}
            value={typed.form ?? 'international'}
            onChange={(e) => use({ ...typed, form: e.target.value as ConversionForm['form'] })}
          >
            <option value="international">+44 131 496 0210</option>
            <option value="nationalDigits">01314960210</option>
          </select>
        </Captioned>
      )}
      {typed.kind === 'reference' && (
        <Captioned label="A record of the mirror">
          <select
            className={INPUT}
            value={typed.mirror ?? ''}
            onChange={(e) => use({ ...typed, mirror: e.target.value })}
          >
            {others.map((m) => (
              <option key={m.key} value={m.key}>
                {m.name}
              </option>
            ))}
          </select>
          <span className="mt-1 block text-sm text-soft">
            {sideName} writes its own id of it here. A record that points at one that is not linked yet waits for it.
          </span>
        </Captioned>
      )}
      {typed.kind === 'codeList' && (
        <CodeListEditor
          mirrorKey={mirrorKey}
          side={side}
          sideName={sideName}
          path={cell.path}
          field={field.name}
          list={typed}
          keepList={use}
        />
      )}
      {typed.kind === 'formula' && (
        <>
          <FormulaEditor
            label="To the agreed record"
            value={typed.toAgreed ?? ''}
            fields={fieldsOfSide}
            type={(text) => setTyped(formula({ toAgreed: text || null }))}
            leave={() => save(typed)}
          />
          <FormulaEditor
            label={`To ${sideName}`}
            value={typed.toSide ?? ''}
            fields={['value']}
            type={(text) => setTyped(formula({ toSide: text || null }))}
            leave={() => save(typed)}
          />
          <p className="text-sm text-soft">
            <code className="font-mono">value</code> is the field itself; other fields by name:{' '}
            <code className="font-mono">[Billing city]</code>. Empty: as it stands.{' '}
            <Link to="/formulas" target="_blank" className="underline">
              All functions
            </Link>
          </p>
        </>
      )}
      {typed.kind !== 'codeList' && typed.kind !== 'reference' && !inLines && (
        <button
          type="button"
          className="font-semibold text-action hover:underline"
          aria-expanded={showing}
          onClick={() => setShowing(!showing)}
        >
          {showing ? 'Hide' : 'Show me what you want…'}
        </button>
      )}
      {showing && (
        <ShowWanted
          mirrorKey={mirrorKey}
          side={side}
          cell={cell}
          values={(tried.data?.trips ?? []).map((t) => t.raw)}
          use={(text) => use(formula({ toAgreed: text }))}
        />
      )}
      {tried.isError && <Notice>{tried.error.message}</Notice>}
      {tried.data && (
        <OnRealValues
          tried={tried.data}
          sideName={sideName}
          isFormula={typed.kind === 'formula'}
          takeInverse={(text) => use(formula({ toSide: text }))}
        />
      )}
    </div>
  );
}

/** A conversion in one form, however it came: by it one is told from another. */
const said = (c: ConversionForm) =>
  JSON.stringify([
    c.kind,
    c.form ?? null,
    c.name ? null : (c.codes ?? null),
    c.toAgreed?.trim() ?? null,
    c.toSide?.trim() ?? null,
    c.name ?? null,
    c.unknownToAgreed ?? null,
    c.unknownToSide ?? null,
    c.mirror ?? null,
  ]);

/** Real values to the agreed form and back, and how many come back as they were. */
function OnRealValues({
  tried,
  sideName,
  isFormula,
  takeInverse,
}: {
  tried: Tried;
  sideName: string;
  isFormula: boolean;
  takeInverse: (formula: string) => void;
}) {
  const changed = tried.lossy + tried.rewritten;
  return (
    <div>
      {tried.problems.map((p) => (
        <p key={p} role="alert" className="border-l-4 border-refused px-2 text-refused">
          {p}
        </p>
      ))}
      <h3 className="text-sm font-semibold text-soft">There and back, on real values</h3>
      {tried.problems.length > 0 ? (
        <p className="text-soft">Tried as soon as that is put right.</p>
      ) : tried.looked === 0 ? (
        <p className="text-soft">No value of it is known yet: run the mirror, or read the catalogue.</p>
      ) : (
        <>
          <p className="mt-1 bg-ground px-2.5 py-1.5" aria-live="polite">
            <span className="font-semibold">= {tried.same.toLocaleString()}</span> of {tried.looked.toLocaleString()}{' '}
            come back the same{changed + tried.held === 0 ? '.' : ''}
            {tried.rewritten > 0 && <>, {tried.rewritten.toLocaleString()} written another way</>}
            {tried.lossy > 0 && <span className="text-held">, △ {tried.lossy.toLocaleString()} lose something</span>}
            {tried.held > 0 && <span className="text-refused">, ‖ {tried.held.toLocaleString()} would be held</span>}
          </p>
          {tried.inverse && isFormula && (
            <p className="mt-1 text-sm">
              <code className="font-mono break-all">{tried.inverse}</code> would bring them back.{' '}
              <button
                type="button"
                className="font-semibold text-action hover:underline"
                onClick={() => takeInverse(tried.inverse!)}
              >
                Use it to {sideName}
              </button>
            </p>
          )}
          <table className="mt-1 w-full table-fixed text-sm">
            <thead className="text-left text-soft">
              <tr>
                <th className="font-semibold">{sideName}</th>
                <th className="font-semibold">Agreed</th>
                <th className="font-semibold">Back</th>
              </tr>
            </thead>
            <tbody>
              {tried.trips.map((t) => (
                <tr key={t.raw} className="border-t border-rule align-top">
                  <td className="py-0.5 pr-1 break-words">{t.raw}</td>
                  {t.end === 'held' ? (
                    <td colSpan={2} className="break-words text-refused">
                      ‖ {t.why}
                    </td>
                  ) : (
                    <>
                      <td className="pr-1 break-words">{t.agreed}</td>
                      <td className={`break-words ${t.end === 'lossy' ? 'font-semibold text-held' : ''}`}>
                        {t.end === 'lossy' && '△ '}
                        {t.end === 'rewritten' && '~ '}
                        {t.back}
                      </td>
                    </>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </div>
  );
}

/** The person types what is wanted for a few values; the formula is found from that. */
function ShowWanted({
  mirrorKey,
  side,
  cell,
  values,
  use,
}: {
  mirrorKey: string;
  side: number;
  cell: CellForm;
  values: string[];
  use: (formula: string) => void;
}) {
  const learn = useLearn(mirrorKey);
  const [wanted, setWanted] = useState<Record<string, string>>({});
  const [asked, setAsked] = useState<string | null>(null);
  const shown = [...new Set([...(asked ? [asked] : []), ...values])].slice(0, asked ? 4 : 3);
  const examples = Object.entries(wanted)
    .filter(([, output]) => output !== '')
    .map(([value, output]) => ({ value, output }));
  return (
    <section aria-label="Show me what you want" className="border border-rule p-2">
      <p className="text-sm text-soft">Type what the agreed record should say for two or three of these.</p>
      {shown.map((value, i) => (
        <label key={value} className="mt-1 grid grid-cols-2 items-center gap-2">
          <span className="truncate" title={value}>
            {value}
          </span>
          <input
            aria-label={`Wanted for value ${i + 1}`}
            className="h-7 rounded border border-rule bg-sheet px-2"
            value={wanted[value] ?? ''}
            onChange={(e) => setWanted({ ...wanted, [value]: e.target.value })}
          />
        </label>
      ))}
      <div className="mt-2">
        <Button
          disabled={examples.length === 0 || learn.isPending}
          onClick={() =>
            learn.mutate({ side, path: cell.path, examples }, { onSuccess: (found) => setAsked(found.askFor ?? null) })
          }
        >
          {learn.isPending ? 'Looking…' : 'Find the formula'}
        </Button>
      </div>
      {learn.isError && <Notice>{learn.error.message}</Notice>}
      {learn.data && !learn.data.formula && (
        <p className="mt-2 text-held">
          No formula fits all of these. Check them for a typing error, or show simpler ones: nothing is guessed.
        </p>
      )}
      {learn.data?.formula && (
        <>
          <p className="mt-2">
            <code className="font-mono text-[12px] break-words">{learn.data.formula}</code>
          </p>
          {learn.data.inWords && <p className="mt-1">That is: {learn.data.inWords}.</p>}
          {learn.data.askFor && (
            <p className="text-sm text-held">
              Other formulas fit too, and differ for <b>{learn.data.askFor}</b>. What is wanted there would settle it.
            </p>
          )}
          <table className="mt-1 w-full table-fixed text-sm">
            <tbody>
              {learn.data.others.slice(0, 6).map((o) => (
                <tr key={o.value} className="border-t border-rule">
                  <td className="truncate py-0.5 pr-1">{o.value}</td>
                  <td className="truncate font-semibold">{o.output}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="mt-2">
            <Button primary onClick={() => use(learn.data.formula!)}>
              Use this formula
            </Button>
          </div>
        </>
      )}
    </section>
  );
}
