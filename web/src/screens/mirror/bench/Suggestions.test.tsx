import { cleanup, fireEvent, render, screen, within } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import type { Suggestion } from '../../../api/client';
import { Suggestions } from './Suggestions';

afterEach(cleanup);

const sides = [0, 1].map((index) => ({
  index,
  system: `s${index}`,
  name: ['Slipway CRM', 'Ballast ERP'][index]!,
  monogram: 'Sl',
  colour: '#1f6390',
  collection: 'x',
}));

const one = (leftPath: string, rightPath: string, confidence: number, field: string | null = null): Suggestion => ({
  leftSide: 0,
  leftPath,
  rightSide: 1,
  rightPath,
  field,
  name: leftPath,
  type: 'text',
  confidence,
  isSure: confidence >= 0.85,
  why: ['their names say the same'],
  leftConversion: null,
  rightConversion: null,
  leftReadOnly: false,
  rightReadOnly: false,
});

const all = [one('town', 'City', 0.98), one('zip', 'PostCode', 0.96), one('segment', 'GroupCode', 0.77, 'Segment')];

test('the sure ones are taken together, and the unsure one is not among them', async () => {
  const take = vi.fn();
  render(<Suggestions sides={sides} suggestions={all} refused={[]} refuse={() => {}} take={take} />);
  screen.getByRole('button', { name: 'Take the 2 sure ones' }).click();
  expect(take).toHaveBeenCalledWith([all[0], all[1]]);
});

test('each is taken by itself, says how sure it is and why, and beside which field it would stand', () => {
  const take = vi.fn();
  render(<Suggestions sides={sides} suggestions={all} refused={[]} refuse={() => {}} take={take} />);
  const row = screen.getByText('GroupCode').closest('li')!;
  expect(row.textContent).toContain('77 %');
  expect(row.textContent).toContain('beside Segment: their names say the same');
  within(row).getByRole('button', { name: 'Take segment and GroupCode' }).click();
  expect(take).toHaveBeenCalledWith([all[2]]);
});

test('where nothing is sure, nothing is offered together', () => {
  render(<Suggestions sides={sides} suggestions={[all[2]!]} refused={[]} refuse={() => {}} take={() => {}} />);
  expect(screen.queryByRole('button', { name: /sure ones/ })).toBeNull();
});

test('a few are shown at once, and the others when they are asked for', () => {
  const many = Array.from({ length: 9 }, (_, i) => one(`left${i}`, `Right${i}`, 0.9));
  render(<Suggestions sides={sides} suggestions={many} refused={[]} refuse={() => {}} take={() => {}} />);
  expect(screen.queryByText('left6')).toBeNull();
  fireEvent.click(screen.getByRole('button', { name: 'Show the other 3' }));
  expect(screen.getByText('left8')).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'Show the first 6 only' }));
  expect(screen.queryByText('left8')).toBeNull();
});
