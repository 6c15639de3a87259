import { expect, test } from 'vitest';
import type { FieldForm, Suggestion } from '../../../api/client';
import { cellAt, flowWords, newField, suggestionFor, taking, withCell, withField } from './edits';

const name: FieldForm = newField('Name', 'text', [cellAt('name'), cellAt('CustomerName')]);
const segment: FieldForm = newField('Segment', 'text', [cellAt('segment'), null]);

const suggestion = (some: Partial<Suggestion>): Suggestion => ({
  leftSide: 0,
  leftPath: 'town',
  rightSide: 1,
  rightPath: 'City',
  field: null,
  name: 'Town',
  type: 'text',
  confidence: 0.97,
  isSure: true,
  why: [],
  ...some,
});

test('a suggestion for two fields that are not mapped becomes an agreed field at the end', () => {
  const fields = taking([name], 2, suggestion({}));
  expect(fields.map((f) => f.name)).toEqual(['Name', 'Town']);
  expect(fields[1]!.cells.map((c) => c?.path)).toEqual(['town', 'City']);
  expect(fields[0]).toBe(name);
});

test('a suggestion beside an agreed field fills its empty side and leaves the others alone', () => {
  const [, after] = taking(
    [name, segment],
    2,
    suggestion({ field: 'Segment', leftPath: 'segment', rightPath: 'GroupCode' }),
  );
  expect(after!.cells.map((c) => c?.path)).toEqual(['segment', 'GroupCode']);
  expect(after!.cells[0]).toBe(segment.cells[0]);
});

test('with more sides than two, only the two of the suggestion are filled', () => {
  const [field] = taking([], 3, suggestion({ leftSide: 0, rightSide: 2 }));
  expect(field!.cells.map((c) => c?.path ?? null)).toEqual(['town', null, 'City']);
});

test('a cell is changed, emptied, and nothing else with it', () => {
  const fields = [name, segment];
  const changed = withCell(fields, 'Segment', 1, cellAt('GroupCode'));
  expect(changed[1]!.cells[1]?.path).toBe('GroupCode');
  expect(changed[0]).toBe(name);
  expect(withCell(changed, 'Segment', 1, null)[1]!.cells[1]).toBeNull();
  expect(segment.cells[1]).toBeNull();
});

test('an agreed field is changed by its name', () => {
  expect(withField([name, segment], 'Name', (f) => ({ ...f, type: 'email' })).map((f) => f.type)).toEqual([
    'email',
    'text',
  ]);
});

test.each([
  [true, true, 'gives and takes'],
  [true, false, 'gives'],
  [false, true, 'takes'],
  [false, false, 'neither gives nor takes'],
])('gives %s, takes %s is said as %s', (gives, takes, words) => {
  expect(flowWords({ ...cellAt('x'), gives, takes })).toBe(words);
});

test('an empty cell shows the suggestion for its own field and side only', () => {
  const found = [suggestion({ field: 'Segment', rightPath: 'GroupCode' }), suggestion({})];
  expect(suggestionFor(found, 'Segment', 1)?.rightPath).toBe('GroupCode');
  expect(suggestionFor(found, 'Segment', 2)).toBeUndefined();
  expect(suggestionFor(found, 'Name', 1)).toBeUndefined();
});
