import type { NoticeForm, NoticeKind } from '../../api/client';

export const KINDS: [NoticeKind, string][] = [
  ['runFailed', 'A run fails'],
  ['runPaused', 'A run waits for somebody before it writes'],
  ['waitsLong', 'Something waits too long'],
  ['systemDown', 'A system does not answer, or does again'],
  ['credentialsEnd', 'Credentials end soon'],
  ['fieldsChanged', 'Fields of a system changed'],
  ['recordEvent', 'Something happens to a record'],
];

export const HAPPENINGS: [NonNullable<NoticeForm['happening']>, string][] = [
  ['created', 'is created in'],
  ['written', 'has a value written in'],
  ['agreed', 'has another agreed value'],
  ['conflictOpened', 'comes into conflict'],
  ['held', 'is held'],
  ['refused', 'is refused by'],
  ['removed', 'is removed in'],
  ['flagged', 'is flagged by a follow-up check'],
];

export const QUEUES: [string, string][] = [
  ['', 'conflicts, look-alikes and held records'],
  ['conflicts', 'conflicts'],
  ['lookAlikes', 'look-alikes'],
  ['held', 'held records'],
];

export const CHANNELS: [NoticeForm['channel'], string][] = [
  ['mail', 'by mail'],
  ['message', 'by a message to a room (a call with a text)'],
  ['event', 'by a CloudEvent to an address'],
];

export type Known = {
  mirror: (key: string) => string;
  system: (key: string) => string;
  sides: (mirror: string) => string[];
};

/** What a notice does, in a sentence. */
export function inWords(form: NoticeForm, known: Known): string {
  const of = form.mirror ? ` of ${known.mirror(form.mirror)}` : '';
  const system = form.system ? known.system(form.system) : 'a system';
  const when = {
    runFailed: `When a run${of} fails`,
    runPaused: `When a run${of} waits for somebody before it writes`,
    waitsLong: `When ${QUEUES.find(([q]) => q === (form.queue ?? ''))?.[1]}${of} wait longer than ${form.hours ?? '…'} hours`,
    systemDown: `When ${system} does not answer, and when it does again`,
    credentialsEnd: `${form.days ?? '…'} days before credentials of ${system} end`,
    fieldsChanged: `When fields of ${system} changed`,
    recordEvent: event(form, known),
  }[form.kind];
  const whom = form.channel === 'mail' ? form.to.filter(Boolean).join(', ') || 'nobody yet' : host(form.address);
  const pace = {
    atOnce: 'at once',
    hourly: 'together each hour',
    daily: `together each day at ${(form.at ?? '07:00').slice(0, 5)}`,
  }[form.pace];
  const quiet = form.quiet ? `, not from ${form.quiet.from.slice(0, 5)} to ${form.quiet.to.slice(0, 5)}` : '';
  return `${when}, tell ${whom} ${pace}${quiet}.`;
}

function event(form: NoticeForm, known: Known): string {
  const does = HAPPENINGS.find(([h]) => h === form.happening)?.[1] ?? '…';
  const where = does.endsWith(' in') || does.endsWith(' by');
  const side =
    form.mirror && form.side !== null && form.side !== undefined
      ? (known.sides(form.mirror)[form.side] ?? '…')
      : 'any system';
  const field = form.field ? ` (${form.field}${form.becomes ? ` becomes ${form.becomes}` : ''})` : '';
  return `When a record of ${form.mirror ? known.mirror(form.mirror) : '…'} ${does}${where ? ` ${side}` : ''}${field}`;
}

function host(address: string | null | undefined): string {
  try {
    return new URL(address ?? '').host;
  } catch {
    return 'an address yet to be given';
  }
}

/** A new notice of a kind, worded as such notices are. */
export function blank(kind: NoticeKind, worded: { subject: string; text: string }, zone: string): NoticeForm {
  return {
    name: '',
    kind,
    channel: 'mail',
    pace: 'atOnce',
    at: null,
    timeZone: zone,
    quiet: null,
    subject: worded.subject,
    text: worded.text,
    isOn: true,
    mirror: null,
    system: null,
    queue: null,
    hours: kind === 'waitsLong' ? 24 : null,
    days: kind === 'credentialsEnd' ? 14 : null,
    happening: kind === 'recordEvent' ? 'created' : null,
    side: null,
    field: null,
    becomes: null,
    to: [],
    address: null,
    allowPrivate: false,
    secret: null,
  };
}
