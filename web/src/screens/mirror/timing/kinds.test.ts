import { expect, test } from 'vitest';
import type { MirrorTiming } from '../../../api/client';
import { clock, DAYS, KINDS, LAST_DAY, ofKind } from './kinds';

const byHand: MirrorTiming = {
  kind: 'byHand',
  minutes: null,
  at: null,
  days: [],
  dayOfMonth: null,
  month: null,
  calendar: null,
  after: null,
  timeZone: 'UTC',
  quiet: { from: '22:00:00', to: '06:00:00', days: [] },
  onEvents: true,
  onFiles: false,
};

test('every kind begins with all that it needs, and leaves the rest alone', () => {
  const needs: Record<string, Partial<MirrorTiming>> = {
    byHand: {},
    every: { minutes: 15 },
    hourly: { at: '00:00:00' },
    daily: { at: '06:00:00' },
    weekly: { at: '06:00:00', days: DAYS.slice(0, 5) },
    monthly: { at: '06:00:00', dayOfMonth: 1 },
    yearly: { at: '06:00:00', dayOfMonth: 1, month: 1 },
    calendar: { calendar: '30 6 * * MON-FRI' },
    after: { after: 'customers' },
  };
  for (const [kind] of KINDS) {
    const made = ofKind(kind, byHand, ['customers', 'orders'], 'Europe/Amsterdam');
    expect(made).toEqual({ ...byHand, ...needs[kind], kind, timeZone: 'Europe/Amsterdam' });
  }
});

test('what was said for another kind is not carried over, but for the time and the zone', () => {
  const weekly = { ...ofKind('weekly', byHand, [], 'Europe/Oslo'), at: '18:45:00', days: DAYS.slice(5) };
  expect(ofKind('monthly', { ...weekly, dayOfMonth: LAST_DAY }, [], 'Asia/Kolkata')).toMatchObject({
    at: '18:45:00',
    days: [],
    dayOfMonth: 1,
    timeZone: 'Europe/Oslo',
  });
  expect(ofKind('after', weekly, []).after).toBeNull();
});

test('a time is shown without its seconds, and six in the morning where none was said', () => {
  expect([clock('18:45:00'), clock(null), clock(undefined)]).toEqual(['18:45', '06:00', '06:00']);
});
