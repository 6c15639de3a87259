import { describe, expect, it } from 'vitest';
import { relative } from './When';

const NOW = Date.UTC(2026, 2, 10, 12, 0, 0);
const ago = (seconds: number) => relative(NOW - seconds * 1000, NOW);

describe('a time as people say it', () => {
  it.each([
    [10, 'just now'],
    [120, '2 min ago'],
    [3 * 3600, '3 h ago'],
    [3 * 86400, '3 days ago'],
    [-240, 'in 4 min'],
    [-5 * 3600, 'in 5 h'],
  ])('%i seconds ago is %s', (seconds, words) => expect(ago(seconds)).toBe(words));

  it('is a date when it is long ago', () => expect(ago(60 * 86400)).toMatch(/2026/));
});
