import type { CellForm, FieldForm, Suggestion } from '../../../api/client';

/** The cell whose panel is open; without a side, the agreed field itself. */
export type OpenCell = { field: string; side: number | null };

export const CONVERSIONS: Record<string, string> = {
  asItStands: 'as it stands',
  phone: 'a telephone number',
  codeList: 'a code list',
  formula: 'a formula',
};

export const TYPES: Record<string, string> = {
  text: 'text',
  number: 'number',
  date: 'date',
  datetime: 'date and time',
  yesno: 'yes or no',
  phone: 'telephone',
  email: 'e-mail',
  list: 'list',
};

export const cellAt = (path: string): CellForm => ({
  path,
  gives: true,
  takes: true,
  conversion: { kind: 'asItStands', form: null, codes: null, toAgreed: null, toSide: null },
  drift: 'putBack',
});

/** The fields with one of them changed. */
export const withField = (fields: FieldForm[], name: string, change: (f: FieldForm) => FieldForm) =>
  fields.map((f) => (f.name === name ? change(f) : f));

export const withCell = (fields: FieldForm[], name: string, side: number, cell: CellForm | null) =>
  withField(fields, name, (f) => ({ ...f, cells: f.cells.map((c, s) => (s === side ? cell : c)) }));

/** What a side may do with a field, in words. */
export const FLOWS = ['gives and takes', 'gives', 'takes', 'neither gives nor takes'] as const;

export const flowWords = (cell: CellForm) =>
  cell.gives && cell.takes ? FLOWS[0] : cell.gives ? FLOWS[1] : cell.takes ? FLOWS[2] : FLOWS[3];

export function newField(name: string, type: string, cells: (CellForm | null)[]): FieldForm {
  return {
    name,
    type,
    rule: 'ask',
    rank: [],
    states: [],
    firstMeeting: 'rank',
    group: null,
    emptyTravels: true,
    cells,
  };
}

/** The fields with a suggestion taken: beside the agreed field that it belongs to, or as a new one. */
export function taking(fields: FieldForm[], sides: number, s: Suggestion): FieldForm[] {
  if (s.field === null || s.field === undefined) {
    const cells = Array.from({ length: sides }, (_, side) =>
      side === s.leftSide ? cellAt(s.leftPath) : side === s.rightSide ? cellAt(s.rightPath) : null,
    );
    return [...fields, newField(s.name, s.type, cells)];
  }
  return withField(fields, s.field, (f) => ({
    ...f,
    cells: f.cells.map(
      (c, side) => c ?? (side === s.leftSide ? cellAt(s.leftPath) : side === s.rightSide ? cellAt(s.rightPath) : null),
    ),
  }));
}

/** The suggestion for an empty cell, if there is one. */
export const suggestionFor = (suggestions: Suggestion[], field: string, side: number) =>
  suggestions.find((s) => s.field === field && (s.leftSide === side || s.rightSide === side));
