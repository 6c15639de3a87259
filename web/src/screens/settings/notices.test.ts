import { expect, test } from 'vitest';
import { blank, inWords, KINDS, type Known } from './notices';

const known: Known = {
  mirror: (key) => ({ orders: 'Orders' })[key] ?? key,
  system: (key) => ({ erp: 'Ballast ERP' })[key] ?? key,
  sides: () => ['Slipway CRM', 'Ballast ERP'],
};
const worded = { subject: 's', text: 't' };
const mail = { to: ['maren@saltmarsh.example'] };

test('every kind is said in a sentence, even before anything is filled in', () => {
  for (const [kind] of KINDS)
    expect(inWords(blank(kind, worded, 'UTC'), known)).toMatch(/^(When|14 days) .*, tell nobody yet at once\.$/);
});

test('of what, whom and when', () => {
  const of = (some: object, kind = KINDS[0]![0]) => inWords({ ...blank(kind, worded, 'UTC'), ...mail, ...some }, known);
  expect(of({ mirror: 'orders' })).toBe('When a run of Orders fails, tell maren@saltmarsh.example at once.');
  expect(of({ system: 'erp', pace: 'hourly' }, 'systemDown')).toBe(
    'When Ballast ERP does not answer, and when it does again, tell maren@saltmarsh.example together each hour.',
  );
  expect(of({ queue: 'held', hours: 48, pace: 'daily', at: '08:30:00' }, 'waitsLong')).toBe(
    'When held records wait longer than 48 hours, tell maren@saltmarsh.example together each day at 08:30.',
  );
  expect(of({ mirror: 'orders', happening: 'written', side: 1, field: 'Stage', becomes: 'paid' }, 'recordEvent')).toBe(
    'When a record of Orders has a value written in Ballast ERP (Stage becomes paid), tell maren@saltmarsh.example at once.',
  );
  expect(of({ mirror: 'orders', happening: 'created', side: 0 }, 'recordEvent')).toContain(
    'is created in Slipway CRM,',
  );
  expect(of({ quiet: { from: '22:00:00', to: '06:30:00', days: [] } })).toContain(', not from 22:00 to 06:30.');
});

test('a call is said by where it goes, and never by what is secret in its address', () => {
  const form = { ...blank('runFailed', worded, 'UTC'), channel: 'event' as const };
  expect(inWords({ ...form, address: 'https://hooks.example/services/T0P-53CR3T' }, known)).toBe(
    'When a run fails, tell hooks.example at once.',
  );
  expect(inWords({ ...form, address: 'hooks' }, known)).toBe(
    'When a run fails, tell an address yet to be given at once.',
  );
});
