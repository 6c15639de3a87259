import { expect, test } from 'vitest';
import { spent } from './spent';

test.each([
  [0, '0 ms'],
  [999, '999 ms'],
  [1000, '1.0 s'],
  [59_949, '59.9 s'],
  [59_950, '1 min 0 s'],
  [125_400, '2 min 5 s'],
  [3_599_400, '59 min 59 s'],
  [4_800_000, '1 h 20 min'],
])('%i milliseconds are %s', (milliseconds, words) => expect(spent(milliseconds)).toBe(words));
