import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { Rehearse } from './Rehearse';

const asked = vi.hoisted(() => vi.fn());
let draft: object;
let runs: object[];
vi.mock('../../../api/queries', () => ({
  useDraft: () => ({ data: draft }),
  useRuns: () => ({ data: runs }),
  useStartRun: () => ({ mutate: asked, isPending: false, isError: false }),
}));
vi.mock('../../run/Planned', () => ({ Planned: ({ run }: { run: number }) => <p>writes of {run}</p> }));

const counts = { read: 10, planned: 1, held: 0 };
const rehearsal = (over = {}) => ({
  id: 5,
  rehearsal: true,
  state: 'finished',
  startedBy: 'Maren',
  startedAt: '2026-03-02T08:00:00Z',
  endedAt: '2026-03-02T08:01:00Z',
  ofDraft: true,
  version: 2,
  counts,
  reason: null,
  sampled: null,
  ...over,
});
const open = (state = 'live', role = 'administrator') =>
  render(
    <MemoryRouter>
      <Rehearse page={{ mirror: { key: 'people', state, version: 2 } } as never} session={{ role } as never} />
    </MemoryRouter>,
  );
const button = (name: string) => screen.getByRole<HTMLButtonElement>('button', { name });

beforeEach(() => {
  asked.mockReset();
  draft = { step: 3, at: '2026-03-02T07:00:00Z', findings: [] };
  runs = [];
});
afterEach(cleanup);

test('the draft or what is live is rehearsed, on all records, a sample, or one that is called so', () => {
  open();
  fireEvent.click(button('Rehearse the draft'));
  expect(asked).toHaveBeenLastCalledWith({ rehearse: true, draft: true });
  const of = screen.getByLabelText('Of which records');
  fireEvent.change(of, { target: { value: '200' } });
  fireEvent.click(button('Rehearse version 2'));
  expect(asked).toHaveBeenLastCalledWith({ rehearse: true, draft: false, sample: 200 });
  fireEvent.change(of, { target: { value: 'found' } });
  expect(button('Rehearse the draft').disabled).toBe(true);
  fireEvent.change(screen.getByLabelText('Its name or its id'), { target: { value: ' Tern ' } });
  fireEvent.click(button('Rehearse the draft'));
  expect(asked).toHaveBeenLastCalledWith({ rehearse: true, draft: true, find: 'Tern' });
});

test('a draft that can not work so is not rehearsed, and what is live still is', () => {
  draft = {
    step: 3,
    at: '2026-03-02T07:00:00Z',
    findings: [
      { isWrong: true, words: 'Nobody gives Town.' },
      { isWrong: true, words: 'x' },
      { isWrong: false, words: 'y' },
    ],
  };
  open();
  expect(button('Rehearse the draft').disabled).toBe(true);
  expect(button('Rehearse version 2').disabled).toBe(false);
  expect(screen.getByText(/Nobody gives Town. And 1 more./)).toBeTruthy();
});

test('a reader, and a run that is going on, leave nothing to press', () => {
  open('live', 'reader');
  expect(button('Rehearse the draft').disabled).toBe(true);
  cleanup();
  runs = [rehearsal({ id: 8, state: 'running', stage: null })];
  open();
  expect(button('Rehearse version 2').disabled).toBe(true);
  expect(screen.getByRole('status').textContent).toContain('A rehearsal is going on: starting, 10 records read.');
});

test('what was rehearsed last is told, of how many records, and whether the draft was edited since', () => {
  runs = [rehearsal({ sampled: 20, counts: { read: 4000, planned: 3, held: 2 } }), rehearsal({ id: 4 })];
  draft = { step: 4, at: '2026-03-02T09:00:00Z', findings: [] };
  const { container } = open();
  expect(screen.getByRole('link', { name: 'The draft after version 2' })).toBeTruthy();
  expect(container.textContent).toContain('20 of its records');
  expect(container.textContent).toContain('3 writes, 2 would be held.');
  expect(container.textContent).toContain('The draft was edited since: rehearse it again.');
  expect(screen.getByText('writes of 5')).toBeTruthy();
});

test('one that failed shows why, and no writes', () => {
  runs = [rehearsal({ state: 'failed', reason: 'Pennant Mail does not answer.' })];
  open('draft');
  expect(screen.getByText('Pennant Mail does not answer.')).toBeTruthy();
  expect(screen.queryByText(/writes of/)).toBeNull();
  expect(screen.queryByRole('button', { name: /Rehearse version/ })).toBeNull();
});
