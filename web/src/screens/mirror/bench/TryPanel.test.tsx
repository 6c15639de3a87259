import { cleanup, render, screen, within } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { draftPage } from './draftPage.sample';
import { TryPanel } from './TryPanel';

const tried = vi.fn();
vi.mock('../../../api/queries', () => ({ useTriedRecord: () => tried() as object }));
afterEach(cleanup);

const show = () => render(<TryPanel mirrorKey="customers" page={draftPage()} at={1} find="" />);
const nothing = { kind: 'nothing', recordId: '4007', fields: [], request: null, problems: [] };

test('each side says what it would be told, in its own fields and as the real request', () => {
  tried.mockReturnValue({
    data: {
      title: 'Brae',
      conflicts: ['A person would be asked about Town: both changed it.'],
      sides: [
        { ...nothing, side: 0 },
        {
          side: 1,
          kind: 'change',
          recordId: 'C-1',
          fields: [{ field: 'Town', path: 'City', before: 'Corrie', after: 'CORRIE', why: 'Slipway CRM changed it' }],
          request: {
            line: 'PATCH http://ballast/Customers',
            headers: [['If-Match', '"1"']],
            body: '{"City":"CORRIE"}',
          },
          problems: [],
        },
      ],
    },
  });
  show();
  expect(screen.getByText(/A person would be asked about Town/)).toBeTruthy();
  expect(screen.getByRole('region', { name: 'Slipway CRM' }).textContent).toContain('= nothing to send');
  const there = within(screen.getByRole('region', { name: 'Ballast ERP' }));
  expect(there.getByRole('row', { name: 'City Corrie CORRIE' })).toBeTruthy();
  expect(there.getByText(/PATCH http:\/\/ballast\/Customers/).textContent).toContain('If-Match: "1"');
});

test('a side that would be held says so and why, not that there is nothing to send', () => {
  const problem = 'Ballast ERP, new customer: Terms has no code.';
  tried.mockReturnValue({
    data: { title: 'Brae', conflicts: [], sides: [{ ...nothing, side: 1, problems: [problem] }] },
  });
  show();
  expect(screen.getByText('‖ would be held')).toBeTruthy();
  expect(screen.getByText(problem)).toBeTruthy();
});

test('while the systems are asked it says so, and a fault is told in words', () => {
  tried.mockReturnValue({ isPending: true });
  show();
  expect(screen.getByRole('status').textContent).toContain('Reading the record from every system');
  cleanup();
  tried.mockReturnValue({ isError: true, error: new Error('There is no such record to try.'), refetch: () => {} });
  show();
  expect(screen.getByRole('alert').textContent).toContain('There is no such record to try.');
});
