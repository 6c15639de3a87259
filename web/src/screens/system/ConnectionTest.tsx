import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { lines, type Step } from '../../api/client';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { When } from '../../parts/When';
import { inWords } from './protocols';

const ENDS = {
  passed: ['=', 'passed', 'text-action'],
  warned: ['△', 'passed, but look', 'text-held'],
  failed: ['×', 'failed', 'text-refused'],
  notTried: ['·', 'not tried', 'text-soft'],
} as const;

/** Tests a connection and shows each step as soon as it is known. */
export function useConnectionTest(path: string) {
  const [steps, setSteps] = useState<Step[] | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const under = useRef<AbortController | null>(null);
  useEffect(() => () => under.current?.abort(), []);
  const run = async (body?: unknown) => {
    under.current?.abort();
    const mine = (under.current = new AbortController());
    setSteps([]);
    setFault(null);
    setBusy(true);
    const all: Step[] = [];
    try {
      await lines<Step>(path, body, (step) => setSteps([...(all.push(step), all)]), mine.signal);
    } catch (e) {
      if (!mine.signal.aborted) setFault((e as Error).message);
    } finally {
      if (under.current === mine) setBusy(false);
    }
    return all.length > 0 && all.every((s) => s.end === 'passed' || s.end === 'warned');
  };
  return { steps, fault, busy, run };
}

export function TestSteps({
  steps,
  busy,
  fault,
  at,
}: {
  steps: Step[] | null;
  busy: boolean;
  fault: string | null;
  at?: string;
}) {
  return (
    <div aria-live="polite">
      {fault && <Notice>{fault}</Notice>}
      {at && (
        <p className="mb-1.5 text-sm text-soft">
          Tested <When at={at} />
        </p>
      )}
      <ol className="border-t border-rule bg-sheet">
        {steps?.map((s) => {
          const [sign, word, colour] = ENDS[s.end];
          return (
            <li
              key={s.name}
              className="grid grid-cols-[20px_minmax(0,1fr)_64px] gap-x-1 border-b border-rule px-2 py-2"
            >
              <span className={`font-semibold ${colour}`}>
                <span aria-hidden="true">{sign}</span>
                <span className="sr-only">{word}</span>
              </span>
              <div className="min-w-0">
                <div className={s.end === 'notTried' ? 'text-soft' : 'font-semibold'}>{s.name}</div>
                <div className={`break-words ${s.end === 'failed' ? '' : 'text-soft'}`}>
                  {s.end === 'notTried' ? 'not tried' : s.words}
                </div>
              </div>
              <span className="text-right text-sm text-soft">{s.end !== 'notTried' && inWords(s.milliseconds)}</span>
            </li>
          );
        })}
        {busy && (
          <li className="border-b border-rule px-2 py-2 text-soft" role="status">
            Trying…
          </li>
        )}
      </ol>
    </div>
  );
}

/** The test of a kept connection, with how it went the last time. */
export function KeptTest({
  systemKey,
  last,
  mayTest,
}: {
  systemKey: string;
  last: { at: string; steps: Step[] } | null;
  mayTest: boolean;
}) {
  const test = useConnectionTest(`/api/systems/${systemKey}/test`);
  const cache = useQueryClient();
  return (
    <section aria-label="Test of the connection">
      <div className="mb-2 flex items-center justify-between">
        <h2 className="font-semibold">Test</h2>
        {mayTest && (
          <Button onClick={() => void test.run().then(() => cache.invalidateQueries())} disabled={test.busy}>
            {test.busy ? 'Testing…' : 'Test the connection'}
          </Button>
        )}
      </div>
      {test.steps || test.fault || last ? (
        <TestSteps
          steps={test.steps ?? last?.steps ?? null}
          busy={test.busy}
          fault={test.fault}
          at={test.steps ? undefined : last?.at}
        />
      ) : (
        <p className="text-soft">It was not tested from here yet.</p>
      )}
    </section>
  );
}
