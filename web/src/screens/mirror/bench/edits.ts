import Papa from 'papaparse';
import type {
  CellForm,
  ConversionForm,
  DraftPage,
  DraftSettings,
  LinesForm,
  FieldForm,
  Suggestion,
} from '../../../api/client';

/** What the panel beside the bench shows. */
export type Open =
  | { kind: 'field'; field: string; side: number | null; /** A field of its lines. */ line?: string }
  | { kind: 'constant'; side: number; path: string }
  | { kind: 'catalogue'; side: number }
  | { kind: 'check' }
  | { kind: 'try' };

/** One edit of the draft, said in words for undo. */
export type Edit = (what: string, fields: FieldForm[], settings?: DraftSettings) => void;

export const CONVERSIONS: Record<string, string> = {
  asItStands: 'as it stands',
  phone: 'a telephone number',
  codeList: 'a code list',
  formula: 'a formula',
  reference: 'a record of another mirror',
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
  lines: 'lines',
  reference: 'a record of another mirror',
};

export const cellAt = (path: string, readOnly = false): CellForm => ({
  path,
  gives: true,
  takes: !readOnly,
  conversion: { kind: 'asItStands', form: null, codes: null, toAgreed: null, toSide: null },
  drift: 'putBack',
  onlyAtFirst: false,
});

/** The fields with one of them changed. */
export const withField = (fields: FieldForm[], name: string, change: (f: FieldForm) => FieldForm) =>
  fields.map((f) => (f.name === name ? change(f) : f));

export const withCell = (fields: FieldForm[], name: string, side: number, cell: CellForm | null) =>
  withField(fields, name, (f) => ({
    ...f,
    // A field that is worked out is given by nobody.
    cells: f.cells.map((c, s) => (s !== side ? c : cell && f.workedOut ? { ...cell, gives: false } : cell)),
  }));

/** The fields with one of them moved up (-1) or down (1); the same when it is at the end already. */
export function moved(fields: FieldForm[], name: string, by: number): FieldForm[] {
  const from = fields.findIndex((f) => f.name === name);
  const to = from + by;
  if (from < 0 || to < 0 || to >= fields.length) return fields;
  const next = [...fields];
  next.splice(to, 0, ...next.splice(from, 1));
  return next;
}

/** The fields with one of them put before another. */
export function putBefore(fields: FieldForm[], name: string, before: string): FieldForm[] {
  const field = fields.find((f) => f.name === name);
  if (!field || name === before) return fields;
  const rest = fields.filter((f) => f !== field);
  const at = rest.findIndex((f) => f.name === before);
  return [...rest.slice(0, at), field, ...rest.slice(at)];
}

const NO_LINES: LinesForm = { key: '', fields: [], total: null };

/** The fields with the lines of one of them changed. */
export const withLines = (fields: FieldForm[], name: string, change: (lines: LinesForm) => LinesForm) =>
  withField(fields, name, (f) => ({ ...f, lines: change(f.lines ?? NO_LINES) }));

/** The line fields of a field as if they were the draft's own, so that the same panels edit both. */
export function insideLines(page: DraftPage, parent: string, edit: Edit): { page: DraftPage; edit: Edit } {
  const index = page.fields.findIndex((f) => f.name === parent);
  const lines = page.fields[index]?.lines ?? NO_LINES;
  return {
    page: {
      ...page,
      fields: lines.fields,
      samples: lines.fields.map((f) => f.cells.map(() => null)),
      agreed: lines.fields.map(() => null),
      inPlainWords: [],
      findings: page.findings.filter((f) => f.field === index).map((f) => ({ ...f, field: null })),
    },
    edit: (what, fields) =>
      edit(
        `${what}, in ${parent}`,
        withLines(page.fields, parent, (l) => {
          // The field that tells lines apart may have got another name.
          const renamed = l.fields.findIndex((f) => f.name === l.key);
          const key =
            fields.some((f) => f.name === l.key) || fields.length !== l.fields.length
              ? l.key
              : (fields[renamed]?.name ?? l.key);
          return { ...l, fields, key: key || (fields[0]?.name ?? '') };
        }),
      ),
  };
}

/** What a side may do with a field, in words. */
export const FLOWS = ['gives and takes', 'gives', 'takes', 'neither gives nor takes'] as const;

export const flowWords = (cell: { gives: boolean; takes: boolean }) =>
  cell.gives && cell.takes ? FLOWS[0] : cell.gives ? FLOWS[1] : cell.takes ? FLOWS[2] : FLOWS[3];

/** The next of the four ways, in the order in which a click goes through them. */
export const nextFlow = (cell: CellForm): CellForm => ({
  ...cell,
  gives: cell.gives ? cell.takes || !cell.gives : cell.takes ? false : true,
  takes: cell.gives && cell.takes ? false : cell.gives ? true : cell.takes ? false : true,
});

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

/** A name that no field has yet: the one wanted, or it with a number. */
export function freeName(fields: FieldForm[], wanted: string): string {
  const taken = new Set(fields.map((f) => f.name.toLowerCase()));
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted} ${n}`;
    if (!taken.has(name.toLowerCase())) return name;
  }
}

/** A path as words: `paymentTerms` is "Payment terms", `address.town` is "Town". */
export function wordsOf(path: string, label?: string | null): string {
  const leaf = path.slice(path.lastIndexOf('.') + 1);
  const words = (label ?? leaf.replace(/_/g, ' ').replace(/(?<=[a-z0-9])(?=[A-Z])/g, ' ')).trim();
  const sentence = label ? words : words.replace(/\b[A-Z][a-z]/g, (w) => w.toLowerCase());
  return sentence ? sentence[0]!.toUpperCase() + sentence.slice(1) : path;
}

/** What a system calls a type, as one of ours. */
export function typeOf(described: string, path: string): string {
  const type = described.toLowerCase();
  if (type.includes('bool')) return 'yesno';
  if (/date-?time|timestamp/.test(type)) return 'datetime';
  if (type.includes('date')) return 'date';
  if (/int|number|decimal|double|float|numeric/.test(type)) return 'number';
  if (/array|collection\(/.test(type)) return 'list';
  return /e-?mail/i.test(path) ? 'email' : 'text';
}

const suggestedCell = (path: string, conversion: ConversionForm | null, readOnly: boolean): CellForm => ({
  ...cellAt(path, readOnly),
  ...(conversion ? { conversion } : {}),
});

/** The fields with a suggestion taken: beside the agreed field that has one of the two already, or as a new one. */
export function taking(fields: FieldForm[], sides: number, s: Suggestion): FieldForm[] {
  const holds = (f: FieldForm, side: number, path: string) => f.cells[side]?.path === path;
  const with1 = fields.find((f) => holds(f, s.leftSide, s.leftPath));
  const with2 = fields.find((f) => holds(f, s.rightSide, s.rightPath));
  const known = with1 ?? with2 ?? fields.find((f) => f.name === s.field);
  const cells = (before: (CellForm | null)[]) =>
    before.map(
      (c, side) =>
        c ??
        (side === s.leftSide && !with1
          ? suggestedCell(s.leftPath, s.leftConversion, s.leftReadOnly)
          : side === s.rightSide && !with2
            ? suggestedCell(s.rightPath, s.rightConversion, s.rightReadOnly)
            : null),
    );
  if (known) return withField(fields, known.name, (f) => ({ ...f, cells: cells(f.cells) }));
  return [...fields, newField(freeName(fields, s.name), s.type, cells(Array.from({ length: sides }, () => null)))];
}

/** The fields with a side's field mapped: into a row, or as a new one. */
export function mapping(
  fields: FieldForm[],
  sides: number,
  side: number,
  of: { path: string; label?: string | null; type: string; readOnly: boolean },
  into: string | null,
): { fields: FieldForm[]; name: string } {
  const cell = cellAt(of.path, of.readOnly);
  if (into !== null) return { fields: withCell(fields, into, side, cell), name: into };
  const name = freeName(fields, wordsOf(of.path, of.label));
  const cells = Array.from({ length: sides }, (_, s) => (s === side ? cell : null));
  return { fields: [...fields, newField(name, typeOf(of.type, of.path), cells)], name };
}

/** The settings with a side's constant set, or taken out. */
export const withConstant = (
  settings: DraftSettings,
  side: number,
  path: string,
  text: string | null,
): DraftSettings => ({
  ...settings,
  sides: settings.sides.map((s, i) => {
    if (i !== side) return s;
    const known = s.constants.some((c) => c.path === path);
    if (text === null) return { ...s, constants: s.constants.filter((c) => c.path !== path) };
    return {
      ...s,
      constants: known
        ? s.constants.map((c) => (c.path === path ? { path, text } : c))
        : [...s.constants, { path, text }],
    };
  }),
});

/** The suggestion for an empty cell, by field and side. */
export function suggestionsByCell(suggestions: Suggestion[]): Map<string, Suggestion> {
  const found = new Map<string, Suggestion>();
  for (const s of suggestions)
    if (s.field)
      for (const side of [s.leftSide, s.rightSide]) {
        const at = `${s.field}\n${side}`;
        if (!found.has(at)) found.set(at, s);
      }
  return found;
}

/** Code list rows out of CSV text: two columns, with or without headings; comma, semicolon or tab between. */
export function codesFromCsv(text: string): string[][] {
  const { data: rows } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), {
    skipEmptyLines: 'greedy',
    delimitersToGuess: [',', ';', '\t', '|'],
  });
  const isHead = rows[0]?.[0]?.toLowerCase() === 'code' && rows[0][1]?.toLowerCase() === 'agreed';
  const body = (isHead ? rows.slice(1) : rows).map((r) => r.map((c) => c.trim()));
  const bad = body.findIndex((r) => !r[0] || !r[1]);
  if (bad >= 0)
    throw new Error(
      `Row ${bad + (isHead ? 2 : 1)} has no code and value: “${body[bad]!.join(', ')}”. Nothing was taken.`,
    );
  return body.map((r) => [r[0]!, r[1]!]);
}

export const codesToCsv = (codes: string[][]) => Papa.unparse({ fields: ['code', 'agreed'], data: codes }) + '\r\n';
