import { expect, test, vi } from 'vitest';
import type { FieldForm, Suggestion } from '../../../api/client';
import {
  cellAt,
  codesFromCsv,
  codesToCsv,
  flowWords,
  insideLines,
  mapping,
  moved,
  newField,
  nextFlow,
  putBefore,
  suggestionsByCell,
  taking,
  typeOf,
  withCell,
  withConstant,
  withField,
  wordsOf,
} from './edits';
import { draftPage } from './draftPage.sample';

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
  leftConversion: null,
  rightConversion: null,
  leftReadOnly: false,
  rightReadOnly: false,
  ...some,
});

test('what a side only reads is not told to it, whoever suggested it', () =>
  expect(taking([], 2, suggestion({ leftReadOnly: true }))[0]!.cells.map((c) => [c!.gives, c!.takes])).toEqual([
    [true, false],
    [true, true],
  ]));

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
  const found = suggestionsByCell([suggestion({ field: 'Segment', rightPath: 'GroupCode' }), suggestion({})]);
  expect(found.get('Segment\n1')?.rightPath).toBe('GroupCode');
  expect(found.get('Segment\n2')).toBeUndefined();
  expect(found.get('Name\n1')).toBeUndefined();
});

test('suggestions for three sides that hold the same become one agreed field', () => {
  const all = [
    suggestion({}),
    suggestion({ rightSide: 2, rightPath: 'city' }),
    suggestion({ leftSide: 1, leftPath: 'City', rightSide: 2, rightPath: 'city' }),
  ];
  const fields = all.reduce((f, s) => taking(f, 3, s), [] as FieldForm[]);
  expect(fields).toHaveLength(1);
  expect(fields[0]!.cells.map((c) => c?.path)).toEqual(['town', 'City', 'city']);
});

test('two suggestions of the same name become two fields with names of their own', () => {
  const fields = [suggestion({}), suggestion({ leftPath: 'other', rightPath: 'Other' })].reduce(
    (f, s) => taking(f, 2, s),
    [] as FieldForm[],
  );
  expect(fields.map((f) => f.name)).toEqual(['Town', 'Town 2']);
});

test('the mark goes through all four ways and comes round', () => {
  let cell = cellAt('x');
  const seen = Array.from({ length: 4 }, () => flowWords((cell = nextFlow(cell))));
  expect(seen).toEqual(['gives', 'takes', 'neither gives nor takes', 'gives and takes']);
});

test('a row moves up and down, stops at the ends, and is put before another', () => {
  const names = (fields: FieldForm[]) => fields.map((f) => f.name).join('');
  const abc = ['A', 'B', 'C'].map((n) => newField(n, 'text', [null]));
  expect(names(moved(abc, 'C', -1))).toBe('ACB');
  expect(moved(abc, 'A', -1)).toBe(abc);
  expect(names(putBefore(abc, 'C', 'A'))).toBe('CAB');
  expect(names(putBefore(abc, 'A', 'C'))).toBe('BAC');
});

test('a field of a catalogue becomes an agreed field with a name and a type of its own', () => {
  const { fields, name: called } = mapping(
    [name],
    3,
    1,
    { path: 'address.postCode', type: 'Edm.String', readOnly: true },
    null,
  );
  expect(called).toBe('Post code');
  expect(fields[1]).toMatchObject({ type: 'text', cells: [null, { path: 'address.postCode', takes: false }, null] });
  expect(wordsOf('VATNumber')).toBe('VATNumber');
  expect([
    typeOf('Edm.Decimal', 'a'),
    typeOf('date-time', 'a'),
    typeOf('Edm.Date', 'a'),
    typeOf('boolean', 'a'),
    typeOf('string', 'E-Mail'),
  ]).toEqual(['number', 'datetime', 'date', 'yesno', 'email']);
});

test('a constant is set, changed and taken out on its own side only', () => {
  const side = {
    mayCreate: true,
    removal: 'ask' as const,
    constants: [],
    leaving: 'stopFollowing' as const,
    mayRemove: false,
    sweepEveryHours: 24,
  };
  const none = {
    name: 'M',
    titleField: 'Name',
    countryField: null,
    recognising: [],
    sides: [side, side],
    judged: [],
    leavesOut: false,
  };
  const one = withConstant(none, 1, 'Currency', 'EUR');
  expect(one.sides.map((s) => s.constants)).toEqual([[], [{ path: 'Currency', text: 'EUR' }]]);
  expect(withConstant(one, 1, 'Currency', 'NOK').sides[1]!.constants).toEqual([{ path: 'Currency', text: 'NOK' }]);
  expect(withConstant(one, 1, 'Currency', null)).toEqual(none);
});

test('a code list goes to CSV and back, whatever is in it', () => {
  const codes = [
    ['GBR', 'Britain, Great'],
    ['X"1', 'two\nlines'],
    ['Ø', 'ø'],
  ];
  expect(codesFromCsv(codesToCsv(codes))).toEqual(codes);
  expect(codesFromCsv('\uFEFF"30";net 30\r\n60;net 60\r\n')).toEqual([
    ['30', 'net 30'],
    ['60', 'net 60'],
  ]);
});

test('a code list file with a row that is none is refused, and says which', () => {
  expect(() => codesFromCsv('code,agreed\nGBR,GB\nIRL\n')).toThrow(
    'Row 3 has no code and value: “IRL”. Nothing was taken.',
  );
});

test('a line field is edited by the same panels, and stays in its own record field', () => {
  const edit = vi.fn();
  const inside = insideLines(draftPage(), 'Lines', edit);
  expect(inside.page.fields.map((f) => f.name)).toEqual(['Line', 'Product']);
  inside.edit('Move Product', moved(inside.page.fields, 'Product', -1));
  expect(edit.mock.calls[0]![0]).toBe('Move Product, in Lines');
  expect(edit.mock.calls[0]![1].map((f: FieldForm) => f.name)).toEqual(['Name', 'Town', 'Lines']);
  expect(edit.mock.calls[0]![1][2].lines).toMatchObject({
    key: 'Line',
    fields: [{ name: 'Product' }, { name: 'Line' }],
  });
});

test('the field that tells lines apart goes on doing so under another name', () => {
  const edit = vi.fn();
  const inside = insideLines(draftPage(), 'Lines', edit);
  inside.edit(
    'Call Line Number',
    withField(inside.page.fields, 'Line', (f) => ({ ...f, name: 'Number' })),
  );
  expect(edit.mock.calls[0]![1][2].lines.key).toBe('Number');
});
