import { cleanup, fireEvent, render, screen, within } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import type { Run } from '../../api/client';
import { RunLog } from './RunLog';

type Log = { lines: object[]; stages: object[]; calls: object[]; days: number };
let log: Log = { lines: [], stages: [], calls: [], days: 30 };
const asked = vi.hoisted(() => vi.fn());
vi.mock('../../api/queries', () => ({
  useRunLog: (run: number, warnings: boolean) => {
    asked(run, warnings);
    return { data: log };
  },
}));
const run = (state: string) => ({ id: 12, state }) as Run;
afterEach(cleanup);

test('each line has its level as a word, too, and warnings alone are asked for', () => {
  log = {
    lines: [
      { n: 1, at: '2026-03-02T08:00:00Z', level: 'info', text: 'Begun.' },
      { n: 2, at: '2026-03-02T08:00:01Z', level: 'warning', text: 'Tern is held.' },
      { n: 3, at: '2026-03-02T08:00:02Z', level: 'error', text: 'It failed.' },
    ],
    stages: [],
    calls: [],
    days: 30,
  };
  render(<RunLog run={run('failed')} />);
  const lines = within(screen.getByRole('region', { name: 'Log' })).getAllByRole('listitem');
  expect(lines.map((l) => l.textContent)).toEqual([
    expect.stringMatching(/Begun\.$/),
    expect.stringContaining('warningTern is held.'),
    expect.stringContaining('errorIt failed.'),
  ]);
  expect(asked).toHaveBeenLastCalledWith(12, false);
  fireEvent.click(screen.getByLabelText('Only warnings and errors'));
  expect(asked).toHaveBeenLastCalledWith(12, true);
});

test('an empty log says why it is empty', () => {
  log = { lines: [], stages: [], calls: [], days: 14 };
  render(<RunLog run={run('finished')} />);
  expect(screen.getByText(/kept for 14 days/)).toBeTruthy();
  cleanup();
  render(<RunLog run={run('running')} />);
  expect(screen.getByText('Lines appear here as it goes.')).toBeTruthy();
  expect(screen.getByText('Nothing is known of it yet.')).toBeTruthy();
  fireEvent.click(screen.getByLabelText('Only warnings and errors'));
  expect(screen.getByText('No warning, and no error.')).toBeTruthy();
});

test('where the time went is told by stage and by kind of call, with what did not go well', () => {
  log = {
    lines: [],
    stages: [
      { stage: 'Collecting', milliseconds: 4000 },
      { stage: 'Delivering', milliseconds: 1000 },
    ],
    calls: [
      { system: 'Slipway CRM', what: 'write', calls: 1200, failed: 3, slowestMilliseconds: 800, milliseconds: 61_000 },
    ],
    days: 30,
  };
  const { container } = render(<RunLog run={run('finished')} />);
  expect([...container.querySelectorAll<HTMLElement>('.bg-bar')].map((b) => b.style.width)).toEqual(['100%', '25%']);
  const row = screen.getByText('write').closest('tr')!;
  expect(row.textContent).toContain((1200).toLocaleString());
  expect(row.textContent).toContain('× 3 not well');
});
