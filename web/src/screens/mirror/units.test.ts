import { describe, expect, it } from 'vitest';
import type { FieldForm, Side } from '../../api/client';
import { inWords, ranked, rulesFor, unitsOf, withUnit } from './units';

const cell = (gives: boolean) => ({
  path: 'p',
  gives,
  takes: true,
  conversion: { kind: 'asItStands' },
  drift: 'putBack',
  default: null,
});
const field = (name: string, more: Partial<FieldForm> = {}) =>
  ({
    name,
    type: 'text',
    rule: 'ask',
    rank: [],
    states: [],
    firstMeeting: 'rank',
    group: null,
    emptyTravels: true,
    cells: [cell(true), cell(true)],
    lines: null,
    workedOut: null,
    ...more,
  }) as unknown as FieldForm;
const sides = ['crm', 'erp', 'mail'].map((system, index) => ({
  index,
  system,
  name: system.toUpperCase(),
  monogram: 'M',
  colour: '#000',
  collection: 'c',
})) as Side[];

describe('settling', () => {
  it('puts the fields of a group together, leaves out what is worked out, and knows who gives', () => {
    const units = unitsOf([
      field('Name', { cells: [cell(true), cell(false)] as never }),
      field('Street', { group: 'Address' }),
      field('Label', { workedOut: 'Name' }),
      field('Town', { group: 'Address' }),
    ]);
    expect(units.map((u) => [u.name, u.fields.length, u.givers])).toEqual([
      ['Name', 1, [0]],
      ['Address', 2, [0, 1]],
    ]);
  });

  it('changes a whole group alike, and nothing else', () => {
    const fields = [field('Name'), field('Street', { group: 'Address' }), field('Town', { group: 'Address' })];
    const changed = withUnit(fields, unitsOf(fields)[1]!, { rule: 'latest' });
    expect(changed.map((f) => f.rule)).toEqual(['ask', 'latest', 'latest']);
  });

  it('offers only rules that a type can be settled by', () => {
    const one = (f: FieldForm) => unitsOf([f])[0]!;
    const group = unitsOf([field('Street', { group: 'Address' }), field('Town', { group: 'Address' })])[0]!;
    expect(rulesFor(group)).not.toContain('formula');
    expect(rulesFor(one(field('Lines', { type: 'lines' })))).not.toContain('formula');
    expect(rulesFor(one(field('Tags', { type: 'list' })))).toContain('union');
    expect(rulesFor(one(field('Name')))).not.toContain('greatest');
    expect(rulesFor(one(field('Amount', { type: 'number' })))).toEqual([
      'rank',
      'latest',
      'furthest',
      'fullest',
      'greatest',
      'least',
      'ask',
      'formula',
    ]);
  });

  it('ranks named sides first, forgets sides that are gone, and says who is first', () => {
    expect(ranked(['mail', 'old', 'crm'], sides).map((s) => s.system)).toEqual(['mail', 'crm', 'erp']);
    expect(inWords(field('Name', { rule: 'rank', rank: ['erp'] }), sides)).toBe('ERP ranks first');
    expect(inWords(field('Name', { rule: 'latest' }), sides)).toBe('the latest change');
  });
});
