import { cleanup, fireEvent, render, screen, within } from '@testing-library/react';
import { MemoryRouter, Route, Routes } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { Field, RecordPage, Session } from '../../api/client';
import { RecordScreen } from './RecordScreen';
import { came } from './ReadAgain';

const cell = (over: object = {}) => ({
  path: 'p',
  gives: true,
  takes: true,
  conversion: null,
  raw: 'x',
  differs: false,
  points: null,
  ...over,
});
const field = (name: string, over: Partial<Field> = {}): Field =>
  ({
    name,
    type: 'text',
    group: null,
    rule: '',
    cells: [cell(), cell()],
    agreed: null,
    inPlainWords: '',
    points: null,
    lines: null,
    ...over,
  }) as Field;
const agreed = (value: string) =>
  ({
    value,
    side: 0,
    who: null,
    changedAt: null,
    at: '2026-03-01T08:00:00Z',
    run: 3,
    why: 'newest',
  }) as Field['agreed'];
const side = (index: number, name: string) => ({
  index,
  system: name,
  name,
  monogram: name.slice(0, 2),
  colour: '#123456',
  collection: 'orders',
});
const page = (over: Partial<RecordPage> = {}) =>
  ({
    link: 'l-1',
    mirror: 'orders',
    mirrorName: 'Orders',
    recordType: 'order',
    title: 'SO-1',
    linkedSince: '2026-03-01T08:00:00Z',
    waiting: false,
    sides: [side(0, 'Slipway CRM'), side(1, 'Ballast ERP')],
    members: [
      { side: 0, id: 'o1', changedAt: null, changedBy: null, seenAt: new Date(Date.now() - 600_000).toISOString() },
      { side: 1, id: '9', changedAt: null, changedBy: null, seenAt: new Date().toISOString() },
    ],
    fields: [],
    conflicts: [],
    timeline: [],
    pointing: [],
    ...over,
  }) as RecordPage;

const world = vi.hoisted(() => ({
  record: null as unknown,
  read: { isIdle: true, isPending: false, isError: false, isSuccess: false } as Record<string, unknown>,
  asked: 0,
  run: undefined as unknown,
  opened: [] as unknown[],
}));
vi.mock('../../api/queries', () => ({
  useRecord: () => ({ data: world.record }),
  useRecordFlags: () => ({ data: { rows: [] } }),
  useReadAgain: () => ({ ...world.read, mutate: () => world.asked++ }),
  useRun: () => ({ data: world.run }),
  usePointing: (...asked: unknown[]) => {
    world.opened.push(asked);
    return { data: undefined, isFetching: false, isError: false, fetchNextPage: () => {} };
  },
}));
vi.mock('./Regroup', () => ({ Regroup: () => null }));

beforeEach(() => {
  Object.assign(world, {
    read: { isIdle: true, isPending: false, isError: false, isSuccess: false },
    asked: 0,
    run: undefined,
    opened: [],
  });
});
afterEach(cleanup);
const show = (record: RecordPage, role = 'steward') => {
  world.record = record;
  render(
    <MemoryRouter initialEntries={['/records/l-1']}>
      <Routes>
        <Route path="/records/:link" element={<RecordScreen session={{ role } as Session} />} />
      </Routes>
    </MemoryRouter>,
  );
};

test('what is pointed at is a link by its name, with the id that stands there; an id of nothing is told so', () => {
  const to = { mirror: 'customers', link: 'c-1', title: 'Brae Hire' };
  show(
    page({
      fields: [
        field('Customer', {
          type: 'reference',
          agreed: agreed('Brae Hire'),
          points: to,
          cells: [cell({ raw: '004216', points: to }), cell({ raw: '404' })] as Field['cells'],
        }),
      ],
    }),
  );
  const row = screen.getByRole('row', { name: /Customer/ });
  const links = within(row).getAllByRole('link', { name: 'Brae Hire' });
  expect(links.map((l) => l.getAttribute('href'))).toEqual(['/records/c-1', '/records/c-1']);
  expect(within(row).getByText('004216')).toBeTruthy();
  expect(within(row).getByText('no linked record has this id')).toBeTruthy();
});

test('each line is a row: what is agreed of it, what each side says, and what differs', () => {
  const says = (price: string, differs = false) => ({
    values: [
      { name: 'Product', value: 'KA-1007', differs: false },
      { name: 'Price', value: price, differs },
    ],
  });
  show(
    page({
      fields: [
        field('Lines', {
          type: 'lines',
          agreed: agreed('2 lines: …'),
          lines: [
            { key: '1', agreed: says('980').values, cells: [says('980'), says('950', true)] },
            { key: '2', agreed: [], cells: [says('10'), null as never] },
          ],
        }),
      ],
    }),
  );
  const first = screen.getByRole('row', { name: /line 1/ });
  expect(within(first).getByText('differs:')).toBeTruthy();
  expect(within(first).getByText('950').className).toContain('font-semibold');
  const second = screen.getByRole('row', { name: /line 2/ });
  expect(within(second).getByText('not agreed yet')).toBeTruthy();
  expect(within(second).getByText('no such line')).toBeTruthy();
  expect(screen.getAllByRole('row', { name: /^Lines/ })[0]!.textContent).toMatch(/2 lines.*1 line.*1 line/);
});

test('what points at it is listed, and more of it is read when it is asked for', () => {
  const record = (n: number) => ({ mirror: 'orders', link: `o-${n}`, title: `Order ${n}` });
  show(
    page({
      pointing: [
        { mirror: 'orders', mirrorName: 'Orders', field: 'Customer', count: 12, records: [record(1), record(2)] },
      ],
    }),
  );
  const section = screen.getByRole('region', { name: 'What is linked to it' });
  expect(within(section).getByRole('link', { name: 'Order 1' }).getAttribute('href')).toBe('/records/o-1');
  expect(world.opened.at(-1)).toEqual(['l-1', 'orders', 'Customer', false]);
  fireEvent.click(within(section).getByRole('button', { name: '10 more' }));
  expect(world.opened.at(-1)).toEqual(['l-1', 'orders', 'Customer', true]);
});

test('it is read again by a button or a key, and what came of it is said of this record alone', () => {
  show(page());
  expect(screen.getByRole('status').textContent).toBe('last read 10 min ago');
  fireEvent.click(screen.getByRole('button', { name: 'Read again now' }));
  expect(world.asked).toBe(1);
  cleanup();

  world.read = { isIdle: false, isPending: false, isError: false, isSuccess: true, data: { run: 12 } };
  world.run = { run: { state: 'running' }, records: [], total: 0 };
  show(page());
  expect(screen.getByRole('status').textContent).toBe('Reading it in Slipway CRM, Ballast ERP… run 12');
  cleanup();

  world.run = { run: { state: 'failed', reason: 'Ballast ERP did not answer.' }, records: [], total: 0 };
  show(page());
  expect(screen.getByRole('status').textContent).toBe('run 12 failed: Ballast ERP did not answer.');
  cleanup();

  world.read = {
    isIdle: false,
    isPending: false,
    isError: true,
    isSuccess: false,
    error: new Error('A run of Orders is going on.'),
  };
  show(page());
  expect(screen.getByRole('status').textContent).toBe('A run of Orders is going on.');
});

test('a reader is not offered to read it again', () => {
  show(page(), 'reader');
  expect(screen.queryByRole('button', { name: 'Read again now' })).toBeNull();
});

test('what a run came to for one record, among others that it looked at', () => {
  const records = [
    { link: 'l-1', title: 'SO-1', outcome: 'Updated', fields: ['Total'] },
    { link: 'l-2', title: 'SO-2', outcome: 'Held', fields: [] },
  ];
  expect(came({ records, total: 2 }, 'l-1')).toBe('it was written');
  expect(came({ records, total: 2 }, 'l-3')).toBe('nothing had changed');
  expect(came({ records, total: 900 }, 'l-3')).toBe('see there what came of it');
});
