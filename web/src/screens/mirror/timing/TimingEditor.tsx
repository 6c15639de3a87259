import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import type { DayOfWeek, MirrorTiming, Side, TimingKind } from '../../../api/client';
import { useMirrors, useTimeZones, useTimingTried } from '../../../api/queries';
import { INPUT, Tick } from '../../../parts/inputs';
import { capital, clock, DAYS, KINDS, LAST_DAY, MONTHS, ofKind } from './kinds';

/** When the mirror runs by itself, with the next times in words. What can't be is told and not kept. */
export function TimingEditor({
  mirrorKey,
  sides,
  timing: saved,
  keep,
}: {
  mirrorKey: string;
  /** Whose events it can run on. */
  sides: Side[];
  timing: MirrorTiming;
  keep: (what: string, timing: MirrorTiming) => void;
}) {
  const [timing, setTiming] = useState(saved);
  const savedText = JSON.stringify(saved);
  const [known, setKnown] = useState(savedText);
  if (savedText !== known) {
    // Kept, undone, or edited by somebody else: that is what stands now. What is being typed in a field stays there.
    setKnown(savedText);
    setTiming(saved);
  }
  const tried = useTimingTried(mirrorKey, timing);
  const mirrors = (useMirrors().data ?? []).filter((m) => m.key !== mirrorKey);
  const zones = useTimeZones().data ?? [];
  const set = (some: Partial<MirrorTiming>) => setTiming({ ...timing, ...some });
  const answer = tried.data;
  const fits = answer !== undefined && !tried.isPlaceholderData && answer.problems.length === 0;
  const same = JSON.stringify(timing) === savedText;
  useEffect(() => {
    if (fits && !same) keep(answer.words.slice(0, 200), timing);
    // Kept once it is known to be possible; the draft that comes back is the saved one.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [fits, same, answer?.words]);
  const small = `${INPUT} !w-auto`;
  const quiet = timing.quiet;
  return (
    <section aria-label="Timing" className="mt-5">
      <h2 className="mb-1 font-semibold">When it runs</h2>
      <div className="grid grid-cols-[minmax(0,1fr)_300px] border-y border-rule bg-sheet">
        <div className="space-y-3 px-4 py-3">
          <div className="flex flex-wrap items-center gap-2">
            <label className="flex items-center gap-2">
              It runs
              <select
                className={small}
                value={timing.kind}
                onChange={(e) =>
                  setTiming(
                    ofKind(
                      e.target.value as TimingKind,
                      timing,
                      mirrors.map((m) => m.key),
                    ),
                  )
                }
              >
                {KINDS.map(([kind, words]) => (
                  <option key={kind} value={kind}>
                    {words}
                  </option>
                ))}
              </select>
            </label>
            {timing.kind === 'every' && (
              <Typed
                label="Minutes between runs"
                value={String(timing.minutes ?? '')}
                width={64}
                keep={(text) => set({ minutes: /^\d+$/.test(text) ? Number(text) : 0 })}
                after="minutes"
              />
            )}
            {timing.kind === 'hourly' && (
              <Typed
                label="Minute of the hour"
                value={String(Number(clock(timing.at).slice(3)))}
                width={56}
                before="at minute"
                keep={(text) => set({ at: `00:${String(Math.min(59, Number(text) || 0)).padStart(2, '0')}:00` })}
              />
            )}
            {timing.kind === 'monthly' || timing.kind === 'yearly' ? (
              <>
                on
                <select
                  aria-label="Day of the month"
                  className={small}
                  value={timing.dayOfMonth ?? 1}
                  onChange={(e) => set({ dayOfMonth: Number(e.target.value) })}
                >
                  {Array.from({ length: timing.kind === 'monthly' ? 28 : 31 }, (_, i) => (
                    <option key={i} value={i + 1}>
                      day {i + 1}
                    </option>
                  ))}
                  <option value={LAST_DAY}>the last day</option>
                </select>
              </>
            ) : null}
            {timing.kind === 'yearly' && (
              <>
                of
                <select
                  aria-label="Month"
                  className={small}
                  value={timing.month ?? 1}
                  onChange={(e) => set({ month: Number(e.target.value) })}
                >
                  {MONTHS.map((m, i) => (
                    <option key={m} value={i + 1}>
                      {m}
                    </option>
                  ))}
                </select>
              </>
            )}
            {['daily', 'weekly', 'monthly', 'yearly'].includes(timing.kind) && (
              <TimeOfDay label="Time of day" before="at" value={timing.at} keep={(at) => set({ at })} />
            )}
            {timing.kind === 'calendar' && (
              <Typed
                label="Calendar expression: minute, hour, day of the month, month, day of the week"
                value={timing.calendar ?? ''}
                width={210}
                mono
                keep={(text) => set({ calendar: text })}
              />
            )}
            {timing.kind === 'after' && (
              <select
                aria-label="After which mirror"
                className={small}
                value={timing.after ?? ''}
                onChange={(e) => set({ after: e.target.value })}
              >
                {mirrors.length === 0 && <option value="">there is no other mirror</option>}
                {mirrors.map((m) => (
                  <option key={m.key} value={m.key}>
                    {m.name}
                  </option>
                ))}
              </select>
            )}
          </div>
          {timing.kind === 'weekly' && (
            <Days days={timing.days ?? []} set={(days) => set({ days })} label="Days on which it runs" />
          )}
          <Tick on={timing.onEvents} set={(onEvents) => set({ onEvents })}>
            also soon after a system tells that something changed
          </Tick>
          {timing.onEvents && (
            <p className="-mt-1.5 ml-6 text-sm text-soft">
              Each system tells it at an address of its own:{' '}
              {sides.map((s, i) => (
                <span key={s.index}>
                  {i > 0 && ', '}
                  <Link to={`/systems/${s.system}/events`} className="underline">
                    {s.name}
                  </Link>
                </span>
              ))}
              .
            </p>
          )}
          <Tick on={timing.onFiles} set={(onFiles) => set({ onFiles })}>
            also soon after a file comes into a folder of its sides
          </Tick>
          <div>
            <Tick on={!!quiet} set={(on) => set({ quiet: on ? { from: '22:00:00', to: '06:00:00', days: [] } : null })}>
              not in quiet hours; what comes due then is made up once afterwards
            </Tick>
            {quiet && (
              <div className="mt-1.5 ml-6 space-y-1.5">
                <div className="flex items-center gap-2">
                  <TimeOfDay
                    label="Quiet from"
                    before="from"
                    value={quiet.from}
                    keep={(from) => set({ quiet: { ...quiet, from } })}
                  />
                  <TimeOfDay
                    label="Quiet to"
                    before="to"
                    value={quiet.to}
                    keep={(to) => set({ quiet: { ...quiet, to } })}
                  />
                </div>
                <Days
                  days={quiet.days ?? []}
                  set={(days) => set({ quiet: { ...quiet, days } })}
                  label="Days on which quiet hours begin; none: every day"
                />
              </div>
            )}
          </div>
          <label className="flex items-center gap-2">
            Time zone
            <select className={small} value={timing.timeZone} onChange={(e) => set({ timeZone: e.target.value })}>
              {!zones.includes(timing.timeZone) && <option>{timing.timeZone}</option>}
              {zones.map((z) => (
                <option key={z}>{z}</option>
              ))}
            </select>
          </label>
          {answer?.problems.map((p) => (
            <p key={p} role="alert" className="text-refused">
              × {p}
            </p>
          ))}
        </div>
        <div className="border-l border-rule px-4 py-3" aria-live="polite">
          <h3 className="text-sm font-semibold text-soft">Next times</h3>
          {answer && answer.next.length > 0 ? (
            <ol className="mt-1 tabular-nums">
              {answer.next.map((n) => (
                <li key={n} className="border-t border-rule py-1 first:border-t-0">
                  {n}
                </li>
              ))}
            </ol>
          ) : (
            <p className="mt-1 text-soft">
              {timing.kind === 'after' ? 'It goes by the other mirror.' : 'It has no times of its own.'}
            </p>
          )}
        </div>
      </div>
    </section>
  );
}

/** What is typed counts when the field is left, or Enter is pressed. */
function Typed(props: {
  label: string;
  value: string;
  width: number;
  keep: (text: string) => void;
  type?: string;
  before?: string;
  after?: string;
  mono?: boolean;
}) {
  const [text, setText] = useState(props.value);
  const [known, setKnown] = useState(props.value);
  if (props.value !== known) {
    setKnown(props.value);
    // Not while something else is being typed.
    if (text === known) setText(props.value);
  }
  return (
    <label className="flex items-center gap-2">
      {props.before}
      <input
        type={props.type ?? 'text'}
        aria-label={props.label}
        className={`${INPUT} ${props.mono ? 'font-mono text-sm' : ''}`}
        style={{ width: props.width }}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => text !== props.value && props.keep(text.trim())}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
      />
      {props.after}
    </label>
  );
}

function TimeOfDay(props: { label: string; before: string; value: string | null; keep: (time: string) => void }) {
  return (
    <Typed
      type="time"
      label={props.label}
      before={props.before}
      value={clock(props.value)}
      width={126}
      keep={(text) => text && props.keep(`${text}:00`)}
    />
  );
}

function Days({ days, set, label }: { days: DayOfWeek[]; set: (days: DayOfWeek[]) => void; label: string }) {
  return (
    <div role="group" aria-label={label} className="flex gap-1">
      {DAYS.map((day) => (
        <button
          key={day}
          type="button"
          aria-pressed={days.includes(day)}
          aria-label={capital(day)}
          onClick={() =>
            set(days.includes(day) ? days.filter((d) => d !== day) : DAYS.filter((d) => d === day || days.includes(d)))
          }
          className={`h-[26px] rounded border px-2 ${days.includes(day) ? 'border-action bg-spine font-semibold text-spine-ink' : 'border-rule text-soft'}`}
        >
          {capital(day).slice(0, 3)}
        </button>
      ))}
    </div>
  );
}
