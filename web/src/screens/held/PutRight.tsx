import { useState } from 'react';
import { Link } from 'react-router';
import type { Hold } from '../../api/client';
import { useCorrect, useHold } from '../../api/queries';
import { Button } from '../../parts/Button';
import { INPUT } from '../../parts/inputs';

/** Another value for what holds a record: in its own system, or on every side. */
export function PutRight({ hold, done }: { hold: Hold; done: () => void }) {
  const found = useHold(hold.id);
  const correct = useCorrect(hold.id);
  const [where, setWhere] = useState<'system' | 'agreed' | null>(null);
  const [text, setText] = useState<string | null>(null);
  const box = 'col-span-4 border-l-4 border-held bg-held-tint px-3 py-2.5';
  if (found.isPending) return <p className={box}>Looking what stands there now…</p>;
  if (found.isError) return <p className={box}>{found.error.message}</p>;
  const { field, system, systemNow, agreed, whyNot } = found.data;
  if (correct.isSuccess)
    return (
      <p role="status" className={box}>
        It is put right.{' '}
        {correct.data.run !== null && correct.data.run !== undefined ? (
          <>
            It is tried again now, in{' '}
            <Link className="underline" to={`/runs/${correct.data.run}`}>
              run {correct.data.run}
            </Link>
            .
          </>
        ) : (
          'The next run tries it again.'
        )}
      </p>
    );
  if (!system && (agreed === null || agreed === undefined))
    return (
      <p className={box}>
        {whyNot ?? 'It can’t be put right from here.'} Put it right in {hold.side.name}; the next run takes it up.
      </p>
    );
  const chosen =
    where ?? (system && !hold.answer ? 'system' : agreed !== null && agreed !== undefined ? 'agreed' : 'system');
  const now = chosen === 'system' ? (systemNow ?? '') : (agreed ?? '');
  return (
    <form
      className={`${box} space-y-2`}
      aria-label={`Put ${hold.title} right`}
      onSubmit={(e) => {
        e.preventDefault();
        correct.mutate({ where: chosen, text: text ?? now });
      }}
    >
      <div className="flex flex-wrap gap-x-5">
        {system && (
          <Where on={chosen === 'system'} set={() => setWhere('system')}>
            {field} of this record in {system}
          </Where>
        )}
        {agreed !== null && agreed !== undefined && (
          <Where on={chosen === 'agreed'} set={() => setWhere('agreed')}>
            what is agreed as {field}, on every side
          </Where>
        )}
      </div>
      <div className="flex items-center gap-2">
        <input
          autoFocus
          aria-label={`The right ${field}`}
          className={`${INPUT} max-w-[460px]`}
          maxLength={4000}
          value={text ?? now}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => e.key === 'Escape' && done()}
        />
        <Button primary type="submit" disabled={correct.isPending || (text ?? now) === now}>
          {correct.isPending ? 'Writing…' : 'Put it right'}
        </Button>
        <Button onClick={done}>Leave it</Button>
      </div>
      <p className="text-sm text-soft">
        Now: {now ? `“${now}”` : 'empty'}. {chosen === 'system' && whyNot}
      </p>
      {correct.isError && <p className="text-refused">{correct.error.message}</p>}
    </form>
  );
}

function Where({ on, set, children }: { on: boolean; set: () => void; children: React.ReactNode }) {
  return (
    <label className="flex items-center gap-2">
      <input type="radio" className="accent-action" checked={on} onChange={set} />
      <span>{children}</span>
    </label>
  );
}
