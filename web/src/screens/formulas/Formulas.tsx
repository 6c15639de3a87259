import { useState } from 'react';
import { useFunctions } from '../../api/queries';
import { Failing, Loading } from '../../parts/States';

/** The documentation of the formula language, out of the table that the evaluator itself uses. */
export function Formulas() {
  const functions = useFunctions();
  const [text, setText] = useState('');
  const words = text.trim().toLowerCase();
  const shown = (functions.data ?? []).filter((f) =>
    [f.name, f.does, f.group].some((w) => w.toLowerCase().includes(words)),
  );
  const groups = [...new Set(shown.map((f) => f.group))];
  return (
    <div className="mx-auto max-w-[1060px] px-5 py-4">
      <h1 className="text-lg font-semibold">Formulas</h1>
      <p className="mt-1 max-w-[80ch] text-soft">
        The language is that of OpenFormula (OASIS, Open Document Format 1.2, part 2), which sheets use. Numbers are
        decimal, so that money adds up.
      </p>
      <dl className="mt-3 grid grid-cols-[max-content_1fr] gap-x-5 gap-y-1 border-y border-rule bg-sheet px-4 py-3">
        {RULES.map(([what, code, rest]) => (
          <div key={what} className="contents">
            <dt className="font-semibold">{what}</dt>
            <dd>
              <code className="font-mono text-[12.5px]">{code}</code> {rest}
            </dd>
          </div>
        ))}
      </dl>
      <input
        aria-label="Find a function"
        placeholder="Find a function by its name or what it does"
        className="mt-4 h-[30px] w-96 rounded border border-rule bg-sheet px-2 placeholder:text-soft"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {functions.isPending && <Loading what="the functions" />}
      {functions.isError && <Failing error={functions.error} retry={() => void functions.refetch()} />}
      {functions.data && shown.length === 0 && <p className="mt-3 text-soft">No function is called so or does that.</p>}
      {groups.map((group) => (
        <section key={group} aria-label={group} className="mt-5">
          <h2 className="mb-1 font-semibold">{group}</h2>
          <table className="w-full table-fixed border-y border-rule bg-sheet">
            <thead className="text-left text-sm text-soft">
              <tr>
                <th className="w-[30%] px-3 py-1 font-semibold">Function</th>
                <th className="w-[34%] px-3 py-1 font-semibold">What it gives</th>
                <th className="w-[24%] px-3 py-1 font-semibold">For example</th>
                <th className="px-3 py-1 font-semibold">Gives</th>
              </tr>
            </thead>
            <tbody>
              {shown
                .filter((f) => f.group === group)
                .map((f) => (
                  <tr key={f.name} id={f.name} className="border-t border-rule align-top">
                    <td className="px-3 py-1.5 font-mono text-[12.5px] break-words">{f.signature}</td>
                    <td className="px-3 py-1.5">{f.does}</td>
                    <td className="px-3 py-1.5 font-mono text-[12.5px] break-words">{f.example}</td>
                    <td className="px-3 py-1.5 font-mono text-[12.5px] break-words">{f.result}</td>
                  </tr>
                ))}
            </tbody>
          </table>
        </section>
      ))}
    </div>
  );
}

const RULES = [
  [
    'Fields',
    '[Billing city] email address.town',
    'by name; in brackets when the name has spaces. value is the field itself.',
  ],
  ['Lines', 'SUM([lines.amount])', 'the fields of lines are lists.'],
  ['Texts', '"say ""hi"""', 'in quotation marks; one within is doubled.'],
  ['Operators', '+ - % ^ * / & = <> < <= > >=', '2^3^2 is 64 and -2^2 is 4; = does not heed capitals.'],
  ['Arguments', 'LEFT(value; 3)', 'separated by ; or by a comma.'],
  ['Dates', '[due] + 30', 'are counted in days; 2026-03-02 counts as one where a date is wanted.'],
  ['Errors', '#VALUE! #DIV/0! #NUM! #N/A', 'are values; IFERROR and IFNA catch them.'],
] as const;
