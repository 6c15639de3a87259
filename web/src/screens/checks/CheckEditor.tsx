import { useState } from 'react';
import type { Check, CheckForm, ChecksPage } from '../../api/client';
import { useKeepCheck, useTryCheck } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Captioned, INPUT, Labelled } from '../../parts/inputs';
import { Notice } from '../../parts/States';
import { FormulaEditor } from '../mirror/bench/FormulaEditor';
import { Flagged } from './Checks';

const WHEN: [string, (mirror: string) => string][] = [
  ['afterRuns', (mirror) => `after each run of ${mirror}`],
  ['hourly', () => 'every hour'],
  ['daily', () => 'every day'],
  ['weekly', () => 'every week'],
  ['calendar', () => 'by a calendar expression'],
  ['byHand', () => 'only by hand'],
];
const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];

const fresh = (): CheckForm => ({
  name: '',
  condition: '',
  when: 'afterRuns',
  at: '06:30',
  day: 1,
  calendar: '30 6 * * MON-FRI',
  timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  hangingMirror: null,
  hangingBy: null,
  hangingOnly: null,
});

/** A check while it is written: what it would flag stands beside it before it is kept. */
export function CheckEditor({
  page,
  check,
  close,
}: {
  page: ChecksPage;
  check: Check | null;
  close: (kept: number | null) => void;
}) {
  const [form, setForm] = useState<CheckForm>(check ? { ...fresh(), ...clean(check.form) } : fresh());
  const keep = useKeepCheck(page.mirror);
  const ask = useTryCheck(page.mirror);
  const set = (some: Partial<CheckForm>) => setForm({ ...form, ...some });
  const pointing = page.pointing.find((m) => m.key === form.hangingMirror);
  const isReady = form.condition.trim() !== '';
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-start gap-10">
      <form
        aria-label={check ? `Change ${check.form.name}` : 'New check'}
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate({ id: check?.id ?? null, form }, { onSuccess: (kept) => close(kept.id) });
        }}
      >
        <Labelled label="What it is called" hint="Formulas ask for it by this name.">
          {(id) => (
            <input
              id={id}
              autoFocus
              className={INPUT}
              maxLength={80}
              value={form.name}
              onChange={(e) => set({ name: e.target.value })}
            />
          )}
        </Labelled>
        <div>
          <FormulaEditor
            label="It flags a record when this is true"
            value={form.condition}
            fields={page.names}
            type={(condition) => set({ condition })}
            leave={() => undefined}
          />
          <p className="mt-1 text-sm text-soft">
            A field by its name is what is agreed; with a system’s name before it, such as{' '}
            <code>[{page.names.find((n) => n.includes('.')) ?? page.names[0]}]</code>, it is what that system says. A
            record that one of the systems does not have is passed over.
          </p>
        </div>
        <div className="grid grid-cols-[minmax(0,1fr)_150px_110px] gap-3">
          <Captioned label="It is looked at">
            <select className={INPUT} value={form.when} onChange={(e) => set({ when: e.target.value })}>
              {WHEN.map(([value, words]) => (
                <option key={value} value={value}>
                  {words(page.mirrorName)}
                </option>
              ))}
            </select>
          </Captioned>
          {form.when === 'weekly' && (
            <Captioned label="On">
              <select className={INPUT} value={form.day ?? 1} onChange={(e) => set({ day: Number(e.target.value) })}>
                {DAYS.map((d, i) => (
                  <option key={d} value={i}>
                    {d}
                  </option>
                ))}
              </select>
            </Captioned>
          )}
          {form.when === 'calendar' && (
            <Captioned label="Expression">
              <input
                className={`${INPUT} font-mono`}
                maxLength={120}
                value={form.calendar ?? ''}
                onChange={(e) => set({ calendar: e.target.value })}
              />
            </Captioned>
          )}
          {['hourly', 'daily', 'weekly'].includes(form.when) && (
            <Captioned label={form.when === 'hourly' ? 'At its minute' : 'At'}>
              <input
                className={INPUT}
                type="time"
                value={form.at ?? ''}
                onChange={(e) => set({ at: e.target.value })}
              />
            </Captioned>
          )}
        </div>
        {page.pointing.length > 0 && (
          <fieldset className="space-y-3">
            <legend className="mb-1 font-semibold">What hangs on it</legend>
            <div className="grid grid-cols-2 gap-3">
              <Captioned label="List with each">
                <select
                  className={INPUT}
                  value={form.hangingMirror ?? ''}
                  onChange={(e) => {
                    const other = page.pointing.find((m) => m.key === e.target.value);
                    set({ hangingMirror: other?.key ?? null, hangingBy: other?.by[0] ?? null, hangingOnly: null });
                  }}
                >
                  <option value="">nothing</option>
                  {page.pointing.map((m) => (
                    <option key={m.key} value={m.key}>
                      {m.name}
                    </option>
                  ))}
                </select>
              </Captioned>
              {pointing && (
                <Captioned label="That point here by">
                  <select
                    className={INPUT}
                    value={form.hangingBy ?? ''}
                    onChange={(e) => set({ hangingBy: e.target.value })}
                  >
                    {pointing.by.map((b) => (
                      <option key={b}>{b}</option>
                    ))}
                  </select>
                </Captioned>
              )}
            </div>
            {pointing && (
              <FormulaEditor
                label={`Of ${pointing.name}, only those for which this is true; empty for all`}
                value={form.hangingOnly ?? ''}
                fields={pointing.names}
                type={(hangingOnly) => set({ hangingOnly })}
                leave={() => undefined}
              />
            )}
          </fieldset>
        )}
        {keep.error && <Notice>{keep.error.message}</Notice>}
        <div className="flex gap-2">
          <Button primary type="submit" disabled={!isReady || !form.name.trim() || keep.isPending}>
            {keep.isPending ? 'Looking…' : 'Keep it'}
          </Button>
          <Button disabled={!isReady || ask.isPending} onClick={() => ask.mutate(form)}>
            {ask.isPending ? 'Looking…' : 'See what it would flag'}
          </Button>
          <Button onClick={() => close(null)}>Leave it</Button>
        </div>
      </form>
      <section aria-label="What it would flag" aria-live="polite" className="border border-rule bg-sheet p-4">
        <h2 className="mb-2 font-semibold">What it would flag</h2>
        {ask.error && <Notice>{ask.error.message}</Notice>}
        {ask.data ? (
          <>
            <p>
              {ask.data.count.toLocaleString()} of {ask.data.looked.toLocaleString()}{' '}
              {ask.data.looked === 1 ? 'record' : 'records'}.
              {ask.data.untold > 0 && (
                <span className="text-soft">
                  {' '}
                  Of {ask.data.untold.toLocaleString()} it can’t be told. The first: {ask.data.untoldWhy}
                </span>
              )}
            </p>
            {ask.data.rows.length > 0 && (
              <ul className="mt-2 border-y border-rule">
                {ask.data.rows.map((f) => (
                  <Flagged key={f.link} flag={f} mayDecide={false} />
                ))}
              </ul>
            )}
            {ask.data.count > ask.data.rows.length && ask.data.rows.length > 0 && (
              <p className="mt-2 text-sm text-soft">The first {ask.data.rows.length} are shown.</p>
            )}
          </>
        ) : (
          !ask.error && (
            <p className="text-soft">
              Write a condition and see, over what is known of every record now. Nothing is kept by that.
            </p>
          )
        )}
      </section>
    </div>
  );
}

/** Without what is not said, so that a choice made later begins from something sensible. */
const clean = (form: CheckForm): Partial<CheckForm> =>
  Object.fromEntries(Object.entries(form).filter(([, value]) => value !== null));
