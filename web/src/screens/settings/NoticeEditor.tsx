import { useState } from 'react';
import type { MirrorRow, NoticeForm, NoticeKind, NoticePage, NoticeRule, System } from '../../api/client';
import { useFieldsOf, useKeepNotice, useRemoveNotice, useTimeZones, useTryNotice } from '../../api/queries';
import { Button } from '../../parts/Button';
import { INPUT, Labelled, NumberField, Tick } from '../../parts/inputs';
import { Notice } from '../../parts/States';
import { blank, CHANNELS, HAPPENINGS, inWords, KINDS, type Known, QUEUES } from './notices';

/** One notice: of what, whom, how, when and in which words. */
export function NoticeEditor({
  rule,
  page,
  mirrors,
  systems,
  known,
  done,
}: {
  rule: NoticeRule | null;
  page: NoticePage;
  mirrors: MirrorRow[];
  systems: System[];
  known: Known;
  done: () => void;
}) {
  const worded = (kind: NoticeKind) => page.kinds.find((k) => k.kind === kind)!;
  const [form, setForm] = useState<NoticeForm>(
    rule?.form ?? blank('runFailed', worded('runFailed'), Intl.DateTimeFormat().resolvedOptions().timeZone),
  );
  const [to, setTo] = useState(form.to.join(', '));
  const keep = useKeepNotice();
  const remove = useRemoveNotice();
  const attempt = useTryNotice();
  const zones = useTimeZones().data ?? [form.timeZone];
  const set = (some: Partial<NoticeForm>) => {
    setForm({ ...form, ...some });
    attempt.reset();
  };
  const ofKind = (kind: NoticeKind) => {
    const { name, channel, pace, at, timeZone, quiet, isOn, address, allowPrivate, secret } = form;
    set({
      ...blank(kind, worded(kind), timeZone),
      name,
      channel,
      pace,
      at,
      quiet,
      isOn,
      to: form.to,
      address,
      allowPrivate,
      secret,
    });
  };
  const fault = keep.error ?? remove.error ?? attempt.error;
  const choice = (label: string, value: string, options: [string, string][], choose: (value: string) => void) => (
    <Labelled label={label}>
      {(id) => (
        <select id={id} className={INPUT} value={value} onChange={(e) => choose(e.target.value)}>
          {options.map(([v, words]) => (
            <option key={v} value={v}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Labelled>
  );
  const typed = (label: string, value: string, change: (text: string) => void, hint?: string, more?: object) => (
    <Labelled label={label} hint={hint}>
      {(id) => <input id={id} className={INPUT} value={value} onChange={(e) => change(e.target.value)} {...more} />}
    </Labelled>
  );
  const anyMirror: [string, string][] = [['', 'any mirror'], ...mirrors.map((m): [string, string] => [m.key, m.name])];
  const anySystem: [string, string][] = [
    ['', 'any system'],
    ...systems.map((s): [string, string] => [s.system, s.name]),
  ];
  return (
    <form
      aria-label={rule ? rule.form.name : 'A new notice'}
      className="space-y-3 border border-rule bg-sheet p-4"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate({ id: rule?.id ?? null, form }, { onSuccess: done });
      }}
    >
      <p className="border-l-4 border-spine-ink bg-spine px-3 py-2 text-spine-ink">{inWords(form, known)}</p>
      {typed('Name', form.name, (name) => set({ name }), undefined, { maxLength: 80, autoFocus: true })}
      {choice('When', form.kind, KINDS, (kind) => ofKind(kind as NoticeKind))}
      <div className="grid grid-cols-2 gap-3">
        {form.kind === 'waitsLong' && (
          <>
            <div className="col-span-2">
              {choice('What waits', form.queue ?? '', QUEUES, (queue) => set({ queue: queue || null }))}
            </div>
            <NumberField label="Longer than, in hours" value={form.hours ?? null} set={(hours) => set({ hours })} />
          </>
        )}
        {(form.kind === 'runFailed' || form.kind === 'runPaused' || form.kind === 'waitsLong') &&
          choice('Of', form.mirror ?? '', anyMirror, (mirror) => set({ mirror: mirror || null }))}
        {(form.kind === 'systemDown' || form.kind === 'credentialsEnd' || form.kind === 'fieldsChanged') &&
          choice('Which', form.system ?? '', anySystem, (system) => set({ system: system || null }))}
        {form.kind === 'credentialsEnd' && (
          <NumberField label="Days before" value={form.days ?? null} set={(days) => set({ days })} />
        )}
      </div>
      {form.kind === 'recordEvent' && (
        <RecordEvent form={form} set={set} mirrors={mirrors} known={known} choice={choice} typed={typed} />
      )}
      {choice('Tell them', form.channel, CHANNELS, (channel) => set({ channel: channel as NoticeForm['channel'] }))}
      {form.channel === 'mail' ? (
        typed(
          'To',
          to,
          (text) => {
            setTo(text);
            set({ to: text.split(/[,;\s]+/).filter(Boolean) });
          },
          page.site.host
            ? 'Several are separated by commas.'
            : 'No mail server is set yet: under Mail. What is told is kept until then.',
        )
      ) : (
        <>
          {typed('Address', form.address ?? '', (address) => set({ address }), undefined, { placeholder: 'https://' })}
          {typed(
            'Signed with',
            form.secret ?? '',
            (secret) => set({ secret: secret || null }),
            rule?.hasSecret
              ? 'A secret is kept. Type another to replace it.'
              : 'Calls are signed as Standard Webhooks says, where a secret is given.',
            { type: 'password', autoComplete: 'off', maxLength: 1024 },
          )}
          <Tick on={form.allowPrivate} set={(allowPrivate) => set({ allowPrivate })}>
            It may be in a private network or on this machine
          </Tick>
        </>
      )}
      <div className="grid grid-cols-2 gap-3">
        {choice(
          'How soon',
          form.pace,
          [
            ['atOnce', 'at once'],
            ['hourly', 'together, each hour'],
            ['daily', 'together, each day'],
          ],
          (pace) => set({ pace: pace as NoticeForm['pace'], at: pace === 'daily' ? (form.at ?? '07:00:00') : null }),
        )}
        {form.pace === 'daily' &&
          typed('At', (form.at ?? '07:00').slice(0, 5), (at) => set({ at: at ? `${at}:00` : null }), undefined, {
            type: 'time',
          })}
        {choice(
          'Time zone',
          form.timeZone,
          zones.map((z): [string, string] => [z, z.replaceAll('_', ' ')]),
          (timeZone) => set({ timeZone }),
        )}
      </div>
      <Tick
        on={form.quiet !== null && form.quiet !== undefined}
        set={(on) => set({ quiet: on ? { from: '22:00:00', to: '06:30:00', days: [] } : null })}
      >
        Keep quiet at night; what happens then is told in the morning
      </Tick>
      {form.quiet && (
        <div className="grid grid-cols-2 gap-3">
          {typed(
            'From',
            form.quiet.from.slice(0, 5),
            (t) => t && set({ quiet: { ...form.quiet!, from: `${t}:00` } }),
            undefined,
            { type: 'time' },
          )}
          {typed(
            'To this time',
            form.quiet.to.slice(0, 5),
            (t) => t && set({ quiet: { ...form.quiet!, to: `${t}:00` } }),
            undefined,
            { type: 'time' },
          )}
        </div>
      )}
      {typed('Subject', form.subject, (subject) => set({ subject }), undefined, { maxLength: 200 })}
      <Words form={form} set={set} fields={worded(form.kind).fields} />
      <Tick on={form.isOn} set={(isOn) => set({ isOn })}>
        It is on
      </Tick>
      {fault && <Notice>{fault.message}</Notice>}
      {attempt.data && (
        <p
          role="status"
          className={`border-l-4 px-3 py-2 ${attempt.data.fault ? 'border-refused bg-ground' : 'border-action bg-ground'}`}
        >
          {attempt.data.fault ? `× ${attempt.data.fault}` : '= A test was sent, and taken.'}
        </p>
      )}
      <div className="flex flex-wrap gap-2">
        <Button primary type="submit" disabled={keep.isPending}>
          {rule ? 'Keep the changes' : 'Add it'}
        </Button>
        <Button disabled={attempt.isPending} onClick={() => attempt.mutate({ id: rule?.id ?? null, form })}>
          {attempt.isPending ? 'Sending…' : 'Send a test'}
        </Button>
        <Button onClick={done}>Leave it</Button>
        {rule && (
          <Button
            className="ml-auto"
            disabled={remove.isPending}
            onClick={() => {
              if (window.confirm(`Remove “${rule.form.name}”, with what it told? This can't be undone.`))
                remove.mutate(rule.id, { onSuccess: done });
            }}
          >
            Remove
          </Button>
        )}
      </div>
    </form>
  );
}

function Words({
  form,
  set,
  fields,
}: {
  form: NoticeForm;
  set: (some: Partial<NoticeForm>) => void;
  fields: string[];
}) {
  const own = useFieldsOf(form.kind === 'recordEvent' ? (form.mirror ?? null) : null);
  return (
    <Labelled
      label="Words"
      hint={
        <>
          A name in braces stands for what there is to tell:{' '}
          {[...fields, ...own].map((f) => (
            <button
              key={f}
              type="button"
              className="mr-1 rounded border border-rule px-1 font-mono text-[11px] hover:border-soft"
              onClick={() => set({ text: `${form.text}{${f}}` })}
            >{`{${f}}`}</button>
          ))}
        </>
      }
    >
      {(id) => (
        <textarea
          id={id}
          rows={4}
          maxLength={4000}
          className="w-full rounded border border-rule bg-sheet px-2.5 py-1.5"
          value={form.text}
          onChange={(e) => set({ text: e.target.value })}
        />
      )}
    </Labelled>
  );
}

function RecordEvent({
  form,
  set,
  mirrors,
  known,
  choice,
  typed,
}: {
  form: NoticeForm;
  set: (some: Partial<NoticeForm>) => void;
  mirrors: MirrorRow[];
  known: Known;
  choice: (
    label: string,
    value: string,
    options: [string, string][],
    choose: (value: string) => void,
  ) => React.ReactNode;
  typed: (label: string, value: string, change: (text: string) => void) => React.ReactNode;
}) {
  const fields = useFieldsOf(form.mirror ?? null);
  const sides = form.mirror ? known.sides(form.mirror) : [];
  const ofField = form.happening === 'written' || form.happening === 'agreed';
  return (
    <div className="grid grid-cols-2 gap-3">
      {choice(
        'A record of',
        form.mirror ?? '',
        [['', '(choose)'], ...mirrors.map((m): [string, string] => [m.key, m.name])],
        (mirror) => set({ mirror: mirror || null, side: null, field: null }),
      )}
      {choice('What happens', form.happening ?? 'created', HAPPENINGS, (happening) =>
        set({ happening: happening as NoticeForm['happening'], field: null, becomes: null }),
      )}
      {form.happening !== 'agreed' &&
        form.happening !== 'conflictOpened' &&
        choice(
          'Where',
          form.side === null || form.side === undefined ? '' : String(form.side),
          [['', 'any system'], ...sides.map((s, i): [string, string] => [String(i), s])],
          (side) => set({ side: side === '' ? null : Number(side) }),
        )}
      {ofField &&
        choice(
          'Which field',
          form.field ?? '',
          [['', 'any field'], ...fields.map((f): [string, string] => [f, f])],
          (field) => set({ field: field || null }),
        )}
      {ofField && typed('Only when it becomes', form.becomes ?? '', (becomes) => set({ becomes: becomes || null }))}
    </div>
  );
}
