import { cleanup, fireEvent, render, screen, within } from '@testing-library/react';
import { MemoryRouter, Route, Routes } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { Check, Flag } from '../../api/client';
import { Checks } from './Checks';

const check = (over: Partial<Check> = {}): Check => ({
  id: 1,
  form: {
    name: 'Another company',
    condition: '[A.Company] <> [B.Company]',
    when: 'daily',
    at: '06:15',
    day: null,
    calendar: null,
    timeZone: 'UTC',
    hangingMirror: null,
    hangingBy: null,
    hangingOnly: null,
  },
  inWords: 'every day at 06:15 (UTC)',
  nextAt: null,
  madeBy: 'Maren',
  lookedAt: new Date().toISOString(),
  looked: 1200,
  untold: 0,
  untoldWhy: null,
  problem: null,
  flagged: 2,
  fine: 0,
  ...over,
});
const flag = (over: Partial<Flag> = {}): Flag => ({
  check: 1,
  checkName: 'Another company',
  mirror: 'people',
  link: 'l-1',
  title: 'Tomasz Wier',
  since: new Date().toISOString(),
  says: [
    { field: 'Company', system: 'A', value: 'Brae Hire' },
    { field: 'Company', system: 'B', value: '' },
    { field: 'Role', system: null, value: 'Owner' },
  ],
  hangingCount: 0,
  hangingName: null,
  hanging: [],
  fineBy: null,
  fineAt: null,
  ...over,
});

let checks: Check[] = [];
let flags: Flag[] = [];
const asked = vi.hoisted(() => ({ keep: vi.fn(), ask: vi.fn(), fine: vi.fn(), look: vi.fn(), remove: vi.fn() }));
const mutation = (mutate: unknown) => ({ mutate, isPending: false, error: null, data: undefined });
vi.mock('../../api/queries', () => ({
  useChecks: () => ({
    data: {
      mirror: 'people',
      mirrorName: 'People',
      recordType: 'person',
      sides: [],
      names: ['Role', 'A.Company', 'B.Company'],
      pointing: [{ key: 'orders', name: 'Orders', by: ['Person', 'A.Person'], names: ['Stage'] }],
      checks,
    },
  }),
  useFlags: () => ({ data: { rows: flags } }),
  useLookAtCheck: () => mutation(asked.look),
  useRemoveCheck: () => mutation(asked.remove),
  useSayFine: () => mutation(asked.fine),
  useKeepCheck: () => mutation(asked.keep),
  useTryCheck: () => mutation(asked.ask),
  useFunctions: () => ({ data: [] }),
}));

const open = (role: string, at = '/mirrors/people/checks') =>
  render(
    <MemoryRouter initialEntries={[at]}>
      <Routes>
        <Route
          path="/mirrors/:key/checks"
          element={<Checks session={{ name: 'x', email: 'x', role, mustChange: false } as never} />}
        />
      </Routes>
    </MemoryRouter>,
  );

beforeEach(() => {
  checks = [check()];
  flags = [flag()];
  Object.values(asked).forEach((f) => f.mockReset());
});
afterEach(cleanup);

test('a flagged record tells what each says, each field once, and what hangs on it, linked or not', () => {
  flags = [
    flag({
      hangingCount: 30,
      hangingName: 'Orders',
      hanging: [
        { link: 'd-1', title: 'Spring fleet', mirror: 'orders' },
        { link: null, title: 'Hire season', mirror: 'orders' },
      ],
    }),
  ];
  open('steward');
  const row = screen.getByText('Tomasz Wier').closest('li')!;
  expect(row.textContent).toContain('Company: Brae Hire in A, empty in B; Role: Owner agreed');
  expect(row.textContent).toContain('Orders, 30: Spring fleet, Hire season and 28 more');
  expect(within(row).getByRole('link', { name: 'Spring fleet' }).getAttribute('href')).toBe('/records/d-1');
  expect(within(row).queryByRole('link', { name: 'Hire season' })).toBeNull();
  fireEvent.click(within(row).getByRole('button', { name: 'Fine as it is' }));
  expect(asked.fine).toHaveBeenCalledWith({ check: 1, link: 'l-1', isFine: true });
});

test('what somebody said is fine can be flagged again', () => {
  flags = [flag({ fineBy: 'Joost', fineAt: new Date().toISOString() })];
  open('steward');
  expect(screen.getByText(/Joost says it is fine as it is/)).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'Flag it again' }));
  expect(asked.fine).toHaveBeenCalledWith({ check: 1, link: 'l-1', isFine: false });
});

test('a check that can not be looked at says why, and what can not be told is counted', () => {
  checks = [check({ problem: 'The condition: there is no field Company.', untold: 3, untoldWhy: 'A 12: waits.' })];
  open('reader');
  expect(screen.getByRole('alert').textContent).toContain('there is no field Company');
  expect(screen.getByText(/Of 3 records it can’t be told. The first: A 12: waits./)).toBeTruthy();
});

test('a reader looks, a steward answers, an administrator changes', () => {
  const may = (role: string) => {
    cleanup();
    open(role);
    return ['New check', 'Look now', 'Change', 'Take it away', 'Fine as it is'].filter((name) =>
      screen.queryByRole('button', { name }),
    );
  };
  expect(may('reader')).toEqual([]);
  expect(may('steward')).toEqual(['Look now', 'Fine as it is']);
  expect(may('administrator')).toEqual(['New check', 'Look now', 'Change', 'Take it away', 'Fine as it is']);
});

test('the address says which check is open', () => {
  checks = [check(), check({ id: 7, form: { ...check().form, name: 'No role' } })];
  open('reader', '/mirrors/people/checks?check=7');
  expect(screen.getByRole('region', { name: 'No role' })).toBeTruthy();
  expect(screen.getByRole('link', { current: 'page' }).textContent).toContain('No role');
});

test('a new check is kept with all that was said, and not before it has a name and a condition', () => {
  checks = [];
  open('administrator');
  expect(screen.getByText('No check yet.')).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'New check' }));
  const keep = screen.getByRole<HTMLButtonElement>('button', { name: 'Keep it' });
  expect(keep.disabled).toBe(true);
  fireEvent.change(screen.getByLabelText('What it is called'), { target: { value: 'No role' } });
  expect(keep.disabled).toBe(true);
  fireEvent.change(screen.getByRole('combobox', { name: 'It flags a record when this is true' }), {
    target: { value: '[Role] = ""', selectionStart: 11 },
  });
  fireEvent.change(screen.getByLabelText('It is looked at'), { target: { value: 'weekly' } });
  fireEvent.change(screen.getByLabelText('On'), { target: { value: '5' } });
  fireEvent.change(screen.getByLabelText('List with each'), { target: { value: 'orders' } });
  fireEvent.change(screen.getByLabelText('That point here by'), { target: { value: 'A.Person' } });
  fireEvent.click(screen.getByRole('button', { name: 'See what it would flag' }));
  expect(asked.ask.mock.calls[0]![0]).toMatchObject({ condition: '[Role] = ""', when: 'weekly', day: 5 });
  fireEvent.click(keep);
  expect(asked.keep.mock.calls[0]![0]).toMatchObject({
    id: null,
    form: { name: 'No role', hangingMirror: 'orders', hangingBy: 'A.Person', hangingOnly: null },
  });
});
