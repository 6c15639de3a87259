import { useState } from 'react';
import { Link } from 'react-router';
import { useRule, useSetRule } from '../../api/queries';
import type { RulePage } from '../../api/client';
import { Button } from '../../parts/Button';
import { Mark } from '../../parts/Mark';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';

/** The rule that would have decided as people did, and how it would have decided each of the past conflicts. */
export function MakeRule({ id, isAdministrator }: { id: number; isAdministrator: boolean }) {
  const [by, setBy] = useState(0);
  const rule = useRule(id, by);
  return (
    <section aria-label="Make it a rule" className="mx-auto flex h-full max-w-[1240px] flex-col px-5 pt-4">
      {rule.isPending ? (
        <Loading what="the past conflicts" />
      ) : rule.isError ? (
        <Failing error={rule.error} retry={() => void rule.refetch()} />
      ) : (
        <Rules page={rule.data} choose={setBy} isAdministrator={isAdministrator} />
      )}
    </section>
  );
}

function Rules({
  page,
  choose,
  isAdministrator,
}: {
  page: RulePage;
  choose: (by: number) => void;
  isAdministrator: boolean;
}) {
  const set = useSetRule(page.mirror);
  const [shown, chosen] = [page.shown, page.rules[page.shown]!];
  const text = (values: string[] | null | undefined) => values?.map((v) => v || 'empty').join(', ') ?? '';
  return (
    <>
      <h1 className="text-lg font-semibold">
        A rule for {page.fields.join(', ')} of {page.mirrorName}
      </h1>
      {page.past.length === 0 ? (
        <Empty title="Nobody has decided such a conflict yet.">
          Once some are decided, the rules stand here in the order in which they would have decided them as people did.{' '}
          <Link to="/conflicts" className="text-action underline">
            Conflicts
          </Link>
        </Empty>
      ) : (
        <>
          <p className="mb-2 max-w-[90ch] text-soft">
            {page.past.length} {page.past.length === 1 ? 'conflict was' : 'conflicts were'} decided by people. Each rule
            was tried on all of them; the one that would have decided most of them the same way stands first.
          </p>
          <div className="flex min-h-0 flex-1 gap-6">
            <ul aria-label="Rules" className="w-[310px] shrink-0 overflow-auto">
              {page.rules.map((r, i) => (
                <li key={i}>
                  <button
                    type="button"
                    aria-pressed={i === shown}
                    onClick={() => choose(i)}
                    className={`w-full border-l-[3px] px-3 py-2 text-left ${i === shown ? 'border-action bg-sheet' : 'border-transparent hover:bg-sheet/60'}`}
                  >
                    <span className="block font-semibold">
                      {r.words} {r.isCurrent && <span className="font-normal text-soft">(the rule today)</span>}
                    </span>
                    <span className="block text-sm text-soft">
                      {r.agrees} of {r.of} as people did
                      {r.of - r.agrees - r.asks > 0 && `, ${r.of - r.agrees - r.asks} otherwise`}
                      {r.asks > 0 && `, ${r.asks} asked`}
                    </span>
                  </button>
                </li>
              ))}
            </ul>
            <div className="min-w-0 flex-1 overflow-auto">
              <table className="w-full bg-sheet" aria-label={`How ${chosen.words} would have decided`}>
                <thead>
                  <tr className="text-left text-sm text-soft">
                    <th className="px-3 py-2 font-semibold">Record</th>
                    <th className="px-3 py-2 font-semibold">What competed</th>
                    <th className="px-3 py-2 font-semibold">A person decided</th>
                    <th className="bg-spine px-3 py-2 font-semibold text-spine-ink">The rule would have</th>
                  </tr>
                </thead>
                <tbody>
                  {page.past.map((p) => (
                    <tr key={p.id} className="h-9 border-t border-rule align-top">
                      <td className="max-w-[190px] truncate px-3 py-1.5" title={p.title}>
                        {p.title}
                      </td>
                      <td className="max-w-[260px] px-3 py-1.5 text-soft">
                        {p.competing.map((c, i) => (
                          <span key={i} className="block truncate">
                            {c.name ?? 'decided before'}: {text(c.values)}
                          </span>
                        ))}
                      </td>
                      <td className="max-w-[180px] px-3 py-1.5">
                        <span className="block truncate">{text(p.decided)}</span>
                        <span className="block text-sm text-soft">
                          {p.who}, <When at={p.at} />
                        </span>
                      </td>
                      <td className="max-w-[200px] bg-spine px-3 py-1.5 text-spine-ink" title={p.why}>
                        <Mark of={p.agrees ? 'agreed' : 'inConflict'} /> {p.would ? text(p.would) : 'asked a person'}
                        {!p.agrees && p.would && <span className="block text-sm text-conflict">otherwise</span>}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </div>
          <div className="flex items-center gap-3 border-t border-rule py-3">
            {set.isError && <Notice>{set.error.message}</Notice>}
            {set.isSuccess ? (
              <p role="status">
                It stands in the draft of {page.mirrorName} now, and counts once that is published.{' '}
                <Link to={`/mirrors/${page.mirror}/fields`} className="text-action underline">
                  Open the draft
                </Link>
              </p>
            ) : (
              <>
                <Button
                  primary
                  disabled={!isAdministrator || set.isPending || chosen.isCurrent}
                  onClick={() => set.mutate({ fields: page.fields, rule: chosen.rule, rank: chosen.rank[0] ?? null })}
                >
                  Put “{chosen.words}” into the draft
                </Button>
                {!isAdministrator && <span className="text-soft">An administrator changes rules.</span>}
              </>
            )}
            <Link to="/conflicts" className="ml-auto text-action underline">
              Back to the conflicts
            </Link>
          </div>
        </>
      )}
    </>
  );
}
