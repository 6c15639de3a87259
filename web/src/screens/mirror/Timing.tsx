import { useState } from 'react';
import type { MirrorRow } from '../../api/client';
import { useTiming } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { When } from '../../parts/When';

/** When the mirror runs. Leaving the field saves it; what can be undone is done at once. */
export function Timing({ mirror, mayChange }: { mirror: MirrorRow; mayChange: boolean }) {
  const save = useTiming(mirror.key);
  const [minutes, setMinutes] = useState(mirror.everyMinutes?.toString() ?? '');
  const wanted = minutes.trim() === '' ? null : Number(minutes);
  const fits = wanted === null || (Number.isInteger(wanted) && wanted >= 1 && wanted <= 10080);
  const keep = (state = mirror.state) => fits && save.mutate({ state, everyMinutes: wanted });
  return (
    <div className="max-w-[70ch] border-y border-rule bg-sheet px-4 py-4">
      <p>
        It runs{' '}
        <label>
          every{' '}
          <input
            inputMode="numeric"
            aria-label="Minutes between runs"
            aria-invalid={!fits}
            disabled={!mayChange}
            value={minutes}
            onChange={(e) => setMinutes(e.target.value)}
            onBlur={() => wanted !== mirror.everyMinutes && keep()}
            onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
            className="h-7 w-16 rounded border border-rule bg-sheet px-2 text-right"
          />{' '}
          minutes
        </label>
        , and whenever somebody runs it. Empty: only by hand.
      </p>
      {!fits && <p className="mt-2 text-refused">Give a whole number from 1 to 10,080 minutes (a week).</p>}
      <p className="mt-3 text-soft">
        {mirror.state === 'paused' ? (
          'It is paused: it does not run by itself.'
        ) : mirror.nextRun ? (
          <>
            The next run begins <When at={mirror.nextRun} past={false} />.
          </>
        ) : (
          'No run is due by itself.'
        )}
      </p>
      <p className="mt-1 text-soft">Every {mirror.recordType} of every side takes part.</p>
      {mayChange ? (
        <Button className="mt-4" onClick={() => keep(mirror.state === 'paused' ? 'live' : 'paused')}>
          {mirror.state === 'paused' ? 'Make it live again' : 'Pause it'}
        </Button>
      ) : (
        <p className="mt-4 text-soft">An administrator can change this.</p>
      )}
      {save.isError && (
        <div className="mt-3">
          <Notice>{save.error.message}</Notice>
        </div>
      )}
    </div>
  );
}
