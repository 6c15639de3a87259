import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { useState } from 'react';
import type { LookAlikeRow } from '../../api/client';
import { useAbove, useDecideAbove } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { Captioned, INPUT } from '../../parts/inputs';
import { percent } from '../../parts/likelihood';

const LINES = [0.99, 0.98, 0.95, 0.9, 0.8, 0.7, 0.6];

/** Several pairs linked at once: how many, about how many of them wrongly, and the most doubtful of them to read first. */
export function DecideAbove({
  rows,
  mayDecide,
  close,
}: {
  rows: LookAlikeRow[];
  mayDecide: boolean;
  close: () => void;
}) {
  const mirrors = [...new Map(rows.map((r) => [r.mirror, r.mirrorName])).entries()];
  const [mirror, setMirror] = useState(mirrors[0]?.[0] ?? '');
  const [atLeast, setAtLeast] = useState(0.95);
  const above = useAbove(mirror, atLeast, mirror !== '');
  const decide = useDecideAbove();
  const count = above.data?.count ?? 0;
  return (
    <Dialog open onClose={close} className="relative z-50">
      <div className="fixed inset-0 flex items-center justify-center bg-ink/30 p-6">
        <DialogPanel className="w-[560px] rounded border border-rule bg-sheet p-5">
          <DialogTitle className="text-lg font-semibold">Decide all above a line</DialogTitle>
          <p className="mt-1 text-soft">
            Pairs of two systems that stand alone are linked together. What may be one of several, and what was entered
            twice in one system, is left for one by one.
          </p>
          <div className="mt-3 grid grid-cols-2 gap-3">
            <Captioned label="Mirror">
              <select className={INPUT} value={mirror} onChange={(e) => setMirror(e.target.value)}>
                {mirrors.map(([key, name]) => (
                  <option key={key} value={key}>
                    {name}
                  </option>
                ))}
              </select>
            </Captioned>
            <Captioned label="At least so likely">
              <select className={INPUT} value={atLeast} onChange={(e) => setAtLeast(Number(e.target.value))}>
                {LINES.map((l) => (
                  <option key={l} value={l}>
                    {(l * 100).toFixed(0)} %
                  </option>
                ))}
              </select>
            </Captioned>
          </div>
          <p className="mt-3 bg-alike-tint px-3 py-2" aria-live="polite">
            {above.data
              ? count === 0
                ? 'None is so likely.'
                : `${count.toLocaleString()} ${count === 1 ? 'pair' : 'pairs'} would be called the same. About ${(above.data.wrong < 10 ? above.data.wrong.toFixed(1) : Math.round(above.data.wrong).toLocaleString()) ?? ''} of them ${above.data.wrong === 1 ? 'is' : 'are'} not.`
              : 'Counting…'}
          </p>
          {above.data && above.data.sample.length > 0 && (
            <table className="mt-2 w-full text-sm">
              <caption className="pb-1 text-left text-soft">The most doubtful of them</caption>
              <tbody>
                {above.data.sample.map((s) => (
                  <tr key={s.id} className="border-t border-rule">
                    <td className="py-1">
                      <a href={`/look-alikes/${s.id}`} target="_blank" rel="noreferrer" className="underline">
                        {s.title}
                      </a>
                    </td>
                    <td className="text-right tabular-nums">{percent(s.probability)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {decide.data && (
            <p role="status" className="mt-2 border-l-4 border-action px-3 py-1">
              {decide.data.made.toLocaleString()} linked; the next run brings them together. Each can be undone.
              {decide.data.left.map((why) => (
                <span key={why} className="block text-held">
                  {why}
                </span>
              ))}
            </p>
          )}
          {decide.isError && <Notice>{decide.error.message}</Notice>}
          <div className="mt-4 flex gap-2">
            <Button
              primary
              disabled={!mayDecide || count === 0 || decide.isPending}
              onClick={() => decide.mutate({ mirror, atLeast })}
            >
              {decide.isPending ? 'Linking…' : `Call ${count.toLocaleString()} the same`}
            </Button>
            <Button onClick={close}>Close</Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
