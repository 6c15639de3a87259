import { expect, test } from 'vitest';
import { cellAt, newField } from '../screens/mirror/bench/edits';
import type { DraftPage } from './client';
import { edited } from './edited';

const name = newField('Name', 'text', [cellAt('name'), cellAt('Title')]);
const town = newField('Town', 'text', [cellAt('town'), null]);
const page = {
  step: 4,
  last: 6,
  what: 'before',
  undone: 'later',
  fields: [name, town],
  settings: { name: 'M', titleField: 'Name', countryField: null, recognising: [], sides: [], judged: [] },
  samples: [
    ['Brae', 'BRAE'],
    ['Corrie', null],
  ],
  agreed: ['Brae', 'Corrie'],
  inPlainWords: ['about name', 'about town'],
  findings: [
    { isWrong: false, field: 1, side: 0, path: 'town', words: 'town', isJudged: false },
    { isWrong: true, field: null, side: null, path: null, words: 'all', isJudged: false },
  ],
} as unknown as DraftPage;

test('what is known of a field goes with it when rows are moved or taken away', () => {
  const moved = edited(page, 'move', [town, name]);
  expect([moved.step, moved.last, moved.what, moved.undone]).toEqual([5, 5, 'move', null]);
  expect(moved.samples).toEqual([
    ['Corrie', null],
    ['Brae', 'BRAE'],
  ]);
  expect(moved.agreed).toEqual(['Corrie', 'Brae']);
  expect(moved.findings.map((f) => f.field)).toEqual([0, null]);
  const without = edited(page, 'away', [name]);
  expect(without.findings.map((f) => f.words)).toEqual(['all']);
  expect(without.inPlainWords).toEqual(['about name']);
});

test('a cell that is another field now has no sample until the server tells it', () => {
  const other = { ...name, cells: [cellAt('nickname'), name.cells[1]!] };
  expect(edited(page, 'map', [other, town]).samples[0]).toEqual([null, 'BRAE']);
  expect(edited(page, 'add', [name, town, newField('New', 'text', [null, null])]).samples[2]).toEqual([null, null]);
});

test('a field that was only given another name keeps what is known of it', () => {
  expect(edited(page, 'call', [{ ...name, name: 'Called' }, town]).agreed).toEqual(['Brae', 'Corrie']);
});
