import type { FieldForm, Side } from '../../api/client';

/** The settling rules, as a person chooses them. */
export const RULES: Record<string, string> = {
  rank: 'Rank',
  latest: 'The latest change',
  furthest: 'The furthest along',
  fullest: 'The fullest value',
  greatest: 'The greatest value',
  least: 'The least value',
  union: 'All of them',
  ask: 'Asking a person',
  formula: 'A formula',
};

/** Fields that are settled together: a group, or a field by itself. */
export type Unit = { name: string; fields: FieldForm[]; givers: number[] };

/** What can be settled at all, in the order of the fields. Fields that are worked out are nobody's to say. */
export function unitsOf(fields: FieldForm[]): Unit[] {
  const units = new Map<string, Unit>();
  for (const field of fields.filter((f) => !f.workedOut)) {
    const name = field.group ?? field.name;
    const unit = units.get(name) ?? { name, fields: [], givers: [] };
    unit.fields.push(field);
    field.cells.forEach((c, s) => {
      if (c?.gives && !unit.givers.includes(s)) unit.givers.push(s);
    });
    units.set(name, unit);
  }
  for (const unit of units.values()) unit.givers.sort((a, b) => a - b);
  return [...units.values()];
}

/** The rules that make sense for a unit. A formula settles a value, not a group of them. */
export function rulesFor(unit: Unit): string[] {
  const field = unit.fields[0]!;
  const rules = ['rank', 'latest', 'furthest'];
  rules.push(field.type === 'list' ? 'union' : 'fullest');
  if (['number', 'date', 'datetime'].includes(field.type)) rules.push('greatest', 'least');
  rules.push('ask');
  if (unit.fields.length === 1 && !['lines', 'reference'].includes(field.type)) rules.push('formula');
  return rules;
}

/** All sides, those that the rank names first, the others in their order. */
export function ranked(rank: string[], sides: Side[]): Side[] {
  const named = rank.map((r) => sides.find((s) => s.system === r)).filter((s) => s !== undefined);
  return [...named, ...sides.filter((s) => !named.includes(s))];
}

/** What settles a field, in a few words. */
export function inWords(field: FieldForm, sides: Side[]): string {
  return field.rule === 'rank'
    ? `${ranked(field.rank, sides)[0]?.name} ranks first`
    : (RULES[field.rule] ?? field.rule).toLowerCase();
}

/** The fields with all of a unit changed alike: a group is settled as one. */
export function withUnit(fields: FieldForm[], unit: Unit, change: Partial<FieldForm>): FieldForm[] {
  const names = new Set(unit.fields.map((f) => f.name));
  return fields.map((f) => (names.has(f.name) ? { ...f, ...change } : f));
}
