import { expect, test } from 'vitest';
import { completions, functionAt, wordAt } from './completion';

const functions = ['LEFT', 'LEN', 'TRIM', 'TEXT'].map((name) => ({
  name,
  group: 'Text',
  signature: `${name}(text)`,
  does: 'x',
  example: '',
  result: '',
}));
const fields = ['value', 'address.town', 'Billing city', 'left'];
const offered = (text: string, cursor = text.length) =>
  completions(text, cursor, functions, fields).map((c) => c.inserts);

test('functions are offered by how they begin, with their bracket', () => {
  expect(offered('LE')).toEqual(['[left]', 'LEFT(', 'LEN(']);
  expect(offered('TRIM(tex')).toEqual(['TEXT(']);
});

test('fields are offered as they are written: in brackets where the name needs them', () => {
  expect(offered('bill')).toEqual(['[Billing city]']);
  expect(offered('UPPER([Bil')).toEqual(['[Billing city]']);
  expect(offered('tow')).toEqual(['address.town']);
});

test('nothing is offered within a text in quotes, after a number, or for what stands there already', () => {
  expect(offered('"le')).toEqual([]);
  expect(offered('12')).toEqual([]);
  expect(offered('')).toEqual([]);
  expect(offered('value')).toEqual([]);
});

test('the word around the cursor is replaced whole', () => {
  expect(wordAt('LEFT(addr; 2)', 7)).toMatchObject({ from: 5, to: 9, word: 'ad' });
  expect(wordAt('[Billing ci] & x', 10)).toMatchObject({ from: 0, to: 12, inBrackets: true });
});

test('the function whose brackets the cursor stands in is told apart from those around and before it', () => {
  expect(functionAt('LEFT(TRIM(x); 2', 15)).toBe('LEFT');
  expect(functionAt('LEFT(TRIM(x', 11)).toBe('TRIM');
  expect(functionAt('LEFT("a(b"; ', 12)).toBe('LEFT');
  expect(functionAt('1 + 2', 5)).toBeNull();
});
