import { cleanup, fireEvent, render, screen, within } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, expect, test, vi } from 'vitest';
import type { LookAlikePage } from '../../api/client';
import { KeysProvider } from '../../parts/keys';
import { Pair } from './Pair';

afterEach(cleanup);

const side = (index: number, name: string) => ({
  index,
  system: name,
  name,
  monogram: name.slice(0, 2),
  colour: '#123456',
  collection: 'organisations',
});
const record = (of: ReturnType<typeof side>, id: string, values: string[], link: string | null = null) => ({
  side: of,
  id,
  title: values[0]!,
  link,
  linkedWith: [],
  values,
  changedAt: null,
  changedBy: null,
});

function page(second = side(1, 'Ballast ERP')): LookAlikePage {
  return {
    row: {
      id: 7,
      mirror: 'customers',
      mirrorName: 'Customers',
      recordType: 'customer',
      title: 'Halden Padleklubb',
      probability: 0.8789,
      system: null,
      records: 2,
      pairs: 1,
      foundAt: '2026-03-01T09:00:00Z',
      isPutOff: false,
    },
    fields: ['Name', 'Street', 'Town', 'Segment'],
    records: [
      record(side(0, 'Slipway CRM'), '004902', ['Halden Padleklubb', 'Bryggegata 14', 'Halden', 'Club']),
      record(second, 'C-20117', ['HALDEN PADLECLUB', 'Bryggegata 41', 'Halden', '']),
    ],
    pairs: [
      {
        id: 7,
        a: 0,
        b: 1,
        probability: 0.8789,
        before: -16.97,
        lines: [
          { fields: [0], words: 'nearly the same', bits: 23.86 },
          { fields: [1, 2], words: 'in the same street or under the same postcode', bits: 4.31 },
        ],
        relatives: -8.34,
        rivals: 0,
        sum: 2.86,
      },
    ],
    pair: 0,
    ifSame: ['Ballast ERP gets the name of Slipway CRM.', 'Nothing is created.'],
    ifDifferent: ['Slipway CRM 004902 is created in Ballast ERP.'],
  };
}

function show(of: LookAlikePage, mayDecide = true) {
  const say = vi.fn();
  render(
    <MemoryRouter>
      <KeysProvider>
        <Pair page={of} position={1} of={27} mayDecide={mayDecide} busy={false} refusal={null} say={say} />
      </KeysProvider>
    </MemoryRouter>,
  );
  return say;
}

test('what stands in the middle adds up to what is said of the pair', () => {
  show(page());
  const figures = within(screen.getByRole('table'))
    .getAllByText(/^[+−]\d+\.\d\d$/)
    .map((e) => Number(e.textContent!.replace('−', '-')));
  const together = figures.pop()!;
  expect(figures).toEqual([23.86, 4.31, -16.97, -8.34]);
  expect(figures.reduce((a, b) => a + b, 0)).toBeCloseTo(together, 9);
  expect(screen.getByText('87.9 %')).toBeTruthy();
});

test('what only one of the two says is marked, and what is no evidence stands apart', () => {
  show(page());
  expect([...document.querySelectorAll('mark')].map((m) => m.textContent)).toEqual([
    'Padleklubb',
    'PADLECLUB',
    '14',
    '41',
  ]);
  expect(screen.getByText('What else they say, which is no evidence')).toBeTruthy();
});

test('one key each for same, different and not now', () => {
  const say = show(page());
  for (const key of ['s', 'd', 'n']) fireEvent.keyDown(document.body, { key });
  expect(say.mock.calls.map((c) => c[1] as unknown)).toEqual(['same', 'different', 'later']);
});

test('of two in one system it is said which is kept, with values of the other', () => {
  const say = show(page(side(0, 'Slipway CRM')));
  expect(screen.getByText('Is this one customer, entered twice?')).toBeTruthy();
  fireEvent.click(within(screen.getByRole('row', { name: /Street/ })).getByRole('checkbox'));
  fireEvent.keyDown(document.body, { key: '1' });
  expect(say.mock.calls[0]).toEqual([7, { keep: 'a', take: ['Street'] }]);
});

test('a reader may look and decides nothing', () => {
  show(page(), false);
  expect(screen.getByRole('button', { name: /^Same/ })).toHaveProperty('disabled', true);
  expect(screen.getByText('You may look. A steward or an administrator decides.')).toBeTruthy();
});
