import { expect, test } from 'vitest';
import { about, outcomeOf, zoneOf } from './lines';

const tried = { across: [0.9999, 0.995, 0.97, 0.8, 0.55, 0.3], within: [0.99, 0.6] };

test('the lines say how many are linked, how many of these wrongly, and how many are asked about', () => {
  expect(outcomeOf(tried, 0.99, 0.5)).toMatchObject({ linked: 2, asked: 5, within: 2 });
  expect(outcomeOf(tried, 0.99, 0.5).wrong).toBeCloseTo(0.0051);
  expect(outcomeOf(tried, 0.5, 0.5)).toMatchObject({ linked: 5, asked: 2 });
});

test('doubles of one system are asked about however likely they are', () => {
  expect(outcomeOf(tried, 0.6, 0.6).within).toBe(2);
  expect(outcomeOf(tried, 0.99, 0.95).within).toBe(1);
});

test('an estimate is told as one', () => {
  expect([about(0), about(0.4), about(3.2), about(1200.4)]).toEqual(['none', 'fewer than 1', 'about 3', 'about 1,200']);
});

test('each bar of the picture stands in one zone', () => {
  const zones = Array.from({ length: 20 }, (_, i) => zoneOf(i, 20, 0.95, 0.5));
  expect(zones.filter((z) => z === 'different')).toHaveLength(10);
  expect(zones.filter((z) => z === 'linked')).toHaveLength(1);
  expect(zones.filter((z) => z === 'asked')).toHaveLength(9);
});
