import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { ScopeOfSide } from './ScopeOfSide';

const side = {
  index: 0,
  system: 'slipway',
  name: 'Slipway CRM',
  monogram: 'Sl',
  colour: '#333333',
  collection: 'deals',
};
const own = {
  mayCreate: true,
  removal: 'ask' as const,
  constants: [],
  scope: null as string | null,
  leaving: 'stopFollowing' as const,
  mayRemove: false,
  sweepEveryHours: 24,
};
const counted = {
  formula: 'OR(stage = "won"; stage = "ready")',
  conditions: { all: true, rows: [{ path: 'stage', test: 'isOneOf', values: ['won', 'ready'] }] },
  words: 'stage is “won” or stage is “ready”',
  problem: null,
  looked: 2000,
  isAll: true,
  covered: 300,
  cantTell: 0,
  whyNot: null,
  in: [{ id: '1', title: 'Canoes for Kelburn', says: ['won'] }],
  out: [{ id: '2', title: 'Paddles for Barr End', says: ['lost'] }],
  seen: [{ path: 'stage', values: ['won', 'lost', 'ready'] }],
};
let asked: unknown[];
let answer: object;

vi.mock('../../../api/queries', () => ({
  useCatalogue: () => ({ data: [] }),
  useScope: (_mirror: string, of: number, what: object | null) => {
    if (what) asked.push({ side: of, ...what });
    return { data: what ? answer : undefined, isFetching: false };
  },
}));
beforeEach(() => {
  asked = [];
  answer = counted;
});
afterEach(cleanup);

const show = (scope: string | null = null) => {
  const keep = vi.fn();
  render(
    <ul>
      <ScopeOfSide mirrorKey="orders" side={side} own={{ ...own, scope }} keep={keep} />
    </ul>,
  );
  return keep;
};

test('conditions are counted as they are put together, and kept only when somebody says so', async () => {
  const keep = show();
  expect(screen.getByText('Every one of them takes part.')).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'Choose which…' }));
  fireEvent.change(screen.getByLabelText('Condition 1: field'), { target: { value: 'stage' } });
  fireEvent.change(screen.getByLabelText('Condition 1: what it asks'), { target: { value: 'isOneOf' } });
  const values = screen.getByLabelText('Condition 1: another value');
  for (const value of ['won', 'ready', 'ready']) {
    fireEvent.change(values, { target: { value } });
    fireEvent.keyDown(values, { key: 'Enter' });
  }
  expect(await screen.findByText('300')).toBeTruthy();
  expect(asked.at(-1)).toEqual({
    side: 0,
    formula: null,
    conditions: { all: true, rows: [{ path: 'stage', test: 'isOneOf', values: ['won', 'ready'] }] },
  });
  expect(screen.getByText('Canoes for Kelburn')).toBeTruthy();
  expect(keep).not.toHaveBeenCalled();
  fireEvent.click(await screen.findByRole('button', { name: 'Keep this scope' }));
  expect(keep).toHaveBeenCalledWith(expect.stringContaining('Scope of Slipway CRM: stage is'), {
    scope: counted.formula,
  });
});

test('what is wrong is told, and can’t be kept', async () => {
  answer = { ...counted, problem: 'deals has no field colour. Name one that it has.' };
  show('colour = "red"');
  expect(await screen.findByText('deals has no field colour. Name one that it has.')).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'Keep this scope' })).toBeNull();
});

test('a formula that is not of conditions stays one, and all of them take part again at a press', async () => {
  answer = { ...counted, formula: 'LEN(stage) > 3', conditions: null };
  const keep = show('LEN(stage) > 3');
  const formula = await screen.findByLabelText('Scope of Slipway CRM as a formula');
  expect((formula as HTMLTextAreaElement).value).toBe('LEN(stage) > 3');
  expect(screen.queryByRole('button', { name: 'As conditions' })).toBeNull();
  fireEvent.click(screen.getByRole('button', { name: 'Let all take part' }));
  expect(keep).toHaveBeenCalledWith('Every record of Slipway CRM takes part', { scope: null });
});

test('records that can’t be told of are counted apart, with the first reason', async () => {
  answer = { ...counted, cantTell: 4, whyNot: 'D-17: the formula gives #VALUE!' };
  show(counted.formula);
  expect(await screen.findByText(/4 can’t be told and are held\. D-17: the formula gives #VALUE!/)).toBeTruthy();
});
