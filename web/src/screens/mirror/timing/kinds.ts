import type { DayOfWeek, MirrorTiming, TimingKind } from '../../../api/client';

export const KINDS: [TimingKind, string][] = [
  ['byHand', 'when somebody asks for it'],
  ['every', 'every so many minutes'],
  ['hourly', 'every hour'],
  ['daily', 'every day'],
  ['weekly', 'on days of the week'],
  ['monthly', 'every month'],
  ['yearly', 'every year'],
  ['calendar', 'by a calendar expression'],
  ['after', 'after another mirror'],
];
export const DAYS: DayOfWeek[] = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'];
export const MONTHS = 'January February March April May June July August September October November December'.split(
  ' ',
);
export const LAST_DAY = -1;
export const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1);
export const clock = (time: string | null | undefined) => (time ?? '06:00').slice(0, 5);

const zoneHere = () => Intl.DateTimeFormat().resolvedOptions().timeZone;

/** What each kind begins with, and nothing that only another kind has. */
export function ofKind(kind: TimingKind, from: MirrorTiming, others: string[], here = zoneHere()): MirrorTiming {
  const none = { minutes: null, at: null, days: [], dayOfMonth: null, month: null, calendar: null, after: null };
  const at = from.at ?? (kind === 'hourly' ? '00:00:00' : '06:00:00');
  const timeZone = from.timeZone === 'UTC' ? here : from.timeZone;
  const base = { ...from, ...none, kind, timeZone };
  switch (kind) {
    case 'every':
      return { ...base, minutes: 15 };
    case 'hourly':
    case 'daily':
      return { ...base, at };
    case 'weekly':
      return { ...base, at, days: DAYS.slice(0, 5) };
    case 'monthly':
      return { ...base, at, dayOfMonth: 1 };
    case 'yearly':
      return { ...base, at, dayOfMonth: 1, month: 1 };
    case 'calendar':
      return { ...base, calendar: '30 6 * * MON-FRI' };
    case 'after':
      return { ...base, after: others[0] ?? null };
    default:
      return base;
  }
}
