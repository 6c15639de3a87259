import type { FormulaFunction } from '../../../api/client';

/** One thing that the word at the cursor may become. */
export type Completion = { shown: string; inserts: string; does: string | null };

const MOST = 8;

/** The word around a place in a formula: a name, or what stands after an open bracket. Nothing within a text in quotes. */
export function wordAt(text: string, cursor: number): { from: number; to: number; word: string; inBrackets: boolean } {
  if (isQuoted(text, cursor)) return { from: cursor, to: cursor, word: '', inBrackets: false };
  const open = text.lastIndexOf('[', cursor - 1);
  if (open >= 0 && !text.slice(open, cursor).includes(']')) {
    const close = text.indexOf(']', cursor);
    return {
      from: open,
      to: close >= 0 && !text.slice(cursor, close).includes('[') ? close + 1 : cursor,
      word: text.slice(open + 1, cursor),
      inBrackets: true,
    };
  }
  const before = /[\p{L}_][\p{L}\p{N}_.]*$/u.exec(text.slice(0, cursor))?.[0] ?? '';
  const after = /^[\p{L}\p{N}_.]*/u.exec(text.slice(cursor))?.[0] ?? '';
  return {
    from: cursor - before.length,
    to: before ? cursor + after.length : cursor,
    word: before,
    inBrackets: false,
  };
}

/** What the word at the cursor may become: fields first, then functions; those that begin so before those that hold it. */
export function completions(
  text: string,
  cursor: number,
  functions: FormulaFunction[],
  fields: string[],
): Completion[] {
  const { word, inBrackets } = wordAt(text, cursor);
  if (word === '' && !inBrackets) return [];
  const wanted = word.toLowerCase();
  const asField = (f: string): Completion => ({
    shown: f,
    inserts: /^[\p{L}_][\p{L}\p{N}_.]*$/u.test(f) && !functions.some((x) => x.name === f.toUpperCase()) ? f : `[${f}]`,
    does: null,
  });
  const rank = (name: string) => {
    const at = name.toLowerCase().indexOf(wanted);
    return at === 0 ? 0 : at > 0 ? 1 : 2;
  };
  const near = <T>(all: T[], name: (t: T) => string) =>
    all.filter((t) => rank(name(t)) < 2).sort((a, b) => rank(name(a)) - rank(name(b)));
  const found = [
    ...near(fields, (f) => f).map(asField),
    ...(inBrackets
      ? []
      : near(functions, (f) => f.name).map((f) => ({ shown: f.signature, inserts: `${f.name}(`, does: f.does }))),
  ];
  // What stands there already needs no completing.
  return found.filter((c) => c.inserts.toLowerCase() !== wanted).slice(0, MOST);
}

/** The function whose brackets the cursor stands in; null when it stands in none. */
export function functionAt(text: string, cursor: number): string | null {
  let depth = 0;
  for (let i = cursor - 1; i >= 0; i--) {
    if (isQuoted(text, i)) continue;
    if (text[i] === ')') depth++;
    else if (text[i] === '(' && depth-- === 0) return /[\p{L}]+$/u.exec(text.slice(0, i))?.[0] ?? null;
  }
  return null;
}

/** Whether a place stands within a text in quotes. */
function isQuoted(text: string, place: number): boolean {
  let quoted = false;
  for (let i = 0; i < place; i++) if (text[i] === '"') quoted = !quoted;
  return quoted;
}
