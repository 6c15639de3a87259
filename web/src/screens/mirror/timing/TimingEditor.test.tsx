import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { MirrorTiming } from '../../../api/client';
import { TimingEditor } from './TimingEditor';

let problems: string[];

vi.mock('../../../api/queries', () => ({
  useMirrors: () => ({ data: [{ key: 'customers', name: 'Customers' }] }),
  useTimeZones: () => ({ data: ['UTC', 'Europe/Amsterdam'] }),
  useTimingTried: (_mirror: string, timing: MirrorTiming) => ({
    data: { words: `It runs ${timing.kind} ${timing.minutes ?? ''}`, problems, next: [] },
    isPlaceholderData: false,
  }),
}));
beforeEach(() => (problems = []));
afterEach(cleanup);

const every = (minutes: number): MirrorTiming => ({
  kind: 'every',
  minutes,
  at: null,
  days: [],
  dayOfMonth: null,
  month: null,
  calendar: null,
  after: null,
  timeZone: 'Europe/Amsterdam',
  quiet: null,
  onEvents: true,
  onFiles: true,
});
const slipway = {
  index: 0,
  system: 'slipway',
  name: 'Slipway CRM',
  monogram: 'Sl',
  colour: '#123456',
  collection: 'deals',
};
const editor = (timing: MirrorTiming, keep = vi.fn()) => (
  <MemoryRouter>
    <TimingEditor mirrorKey="orders" sides={[slipway]} timing={timing} keep={keep} />
  </MemoryRouter>
);
const minutes = () => screen.getByLabelText<HTMLInputElement>('Minutes between runs');

test('what is typed is kept when the field is left, and not before', () => {
  const keep = vi.fn();
  render(editor(every(15), keep));
  fireEvent.change(minutes(), { target: { value: '5' } });
  expect(keep).not.toHaveBeenCalled();
  fireEvent.blur(minutes());
  expect(keep).toHaveBeenCalledTimes(1);
  expect(keep.mock.calls[0]![1]).toEqual(every(5));
});

test('what is being typed stays while something else is kept, and an edit that is undone is shown as it was', () => {
  const { rerender } = render(editor(every(15)));
  fireEvent.change(minutes(), { target: { value: '7' } });
  rerender(editor({ ...every(15), onFiles: false }));
  expect(minutes().value).toBe('7');
  fireEvent.change(minutes(), { target: { value: '15' } });
  rerender(editor(every(30)));
  expect(minutes().value).toBe('30');
});

test('what can’t be is told, and not kept', () => {
  const keep = vi.fn();
  problems = ['Give a whole number of minutes from 1 to 10,080 (a week).'];
  render(editor(every(15), keep));
  fireEvent.change(minutes(), { target: { value: 'soon' } });
  fireEvent.blur(minutes());
  expect(screen.getByRole('alert').textContent).toContain('Give a whole number of minutes');
  expect(keep).not.toHaveBeenCalled();
});

test('where each system tells of changes is one click away, while that counts', () => {
  const { rerender } = render(editor(every(15)));
  expect(screen.getByRole('link', { name: 'Slipway CRM' }).getAttribute('href')).toBe('/systems/slipway/events');
  rerender(editor({ ...every(15), onEvents: false }));
  expect(screen.queryByRole('link', { name: 'Slipway CRM' })).toBeNull();
});
