import { cleanup, render, screen, within } from '@testing-library/react';
import { afterEach, expect, test } from 'vitest';
import type { Comparison, MirrorChange } from '../../../api/client';
import { Changes } from './Changes';

afterEach(cleanup);

const sides = ['Slipway CRM', 'Ballast ERP'].map((name, index) => ({
  index,
  system: name,
  name,
  monogram: name.slice(0, 2),
  colour: '#333333',
  collection: 'things',
}));
const change = (some: Partial<MirrorChange>): MirrorChange => ({
  field: null,
  side: null,
  what: 'settling rule',
  before: null,
  after: null,
  ...some,
});
const show = (changes: MirrorChange[], some: Partial<Comparison> = {}) =>
  render(
    <Changes
      comparison={{ from: 1, to: 2, sides, changes, gone: [], new: [], concerns: true, rehearsal: null, ...some }}
    />,
  );

test('two that say the same are said to', () => {
  show([]);
  expect(screen.getByText('Nothing is otherwise.')).toBeTruthy();
  expect(screen.queryByRole('table')).toBeNull();
});

test('each change stands in its field’s row and its side’s column, before and after', () => {
  show([
    change({ side: 0, what: 'scope', before: 'all', after: 'stage = "won"' }),
    change({ field: 'Telephone', before: 'rank', after: 'latest' }),
    change({ field: 'Telephone', side: 1, what: 'conversion', before: 'as it stands', after: 'international form' }),
  ]);
  const rows = within(screen.getByRole('table', { name: 'What is otherwise' })).getAllByRole('row');
  expect(rows).toHaveLength(3);
  const cells = (row: HTMLElement) =>
    within(row)
      .getAllByRole('cell')
      .map((c) => c.textContent);
  expect(cells(rows[1]!)).toEqual(['scope: all → stage = "won"', '', '']);
  expect(cells(rows[2]!)).toEqual([
    '',
    'settling rule: rank → latest',
    'conversion: as it stands → international form',
  ]);
  expect(screen.getByText('3 changes')).toBeTruthy();
});

test('what came is marked as new, and what was taken out is said in words, not by its colour', () => {
  show([
    change({ field: 'Note', what: 'field', after: 'text, settled by ask' }),
    change({ field: 'Fax', what: 'field', before: 'text, settled by rank' }),
    change({ field: 'Fax', side: 1, what: 'its field', before: 'FaxNo' }),
  ]);
  expect(screen.getByText('+ text, settled by ask')).toBeTruthy();
  expect(screen.getAllByText('taken out')).toHaveLength(2);
  expect(screen.getByText('FaxNo').tagName).toBe('DEL');
});

test('sentences that are true no more stand beside those that are from then on', () => {
  show([change({ before: 'rank', after: 'latest' })], {
    gone: ['Ballast ERP counts.'],
    new: ['The latest change counts.'],
  });
  expect(within(screen.getByRole('list', { name: 'Not true any more' })).getByText('Ballast ERP counts.')).toBeTruthy();
  expect(
    within(screen.getByRole('list', { name: 'True from then on' })).getByText('The latest change counts.'),
  ).toBeTruthy();
});
