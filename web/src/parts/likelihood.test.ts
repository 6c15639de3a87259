import { describe, expect, test } from 'vitest';
import { before, differing, percent, signed } from './likelihood';

describe('likelihoods in words', () => {
  test('nothing is ever said to be certain', () => {
    expect(percent(0.9999999)).toBe('99.9 %');
    expect(percent(1, 0)).toBe('99 %');
    expect(percent(0.914)).toBe('91.4 %');
  });

  test('a weight has its sign and two decimals', () => {
    expect(signed(6.4)).toBe('+6.40');
    expect(signed(-2)).toBe('−2.00');
    expect(signed(0)).toBe('0');
  });

  test('odds before any evidence are told as one in so many', () => {
    expect(before(-10)).toBe('1 pair in 1,025');
    expect(before(1)).toBe('more likely than not');
  });

  test('what only one of two texts says is told apart, whatever its case', () => {
    const own = (a: string, b: string) =>
      differing(a, b)
        .filter((p) => p.isOwn)
        .map((p) => p.part);
    expect(own('Halden Padleklubb', 'HALDEN PADLECLUB')).toEqual(['Padleklubb']);
    expect(own('post@halden.example', 'kasserer@halden.example')).toEqual(['post']);
    expect(own('same', 'SAME')).toEqual([]);
    expect(own('anything', '')).toEqual([]);
  });
});
