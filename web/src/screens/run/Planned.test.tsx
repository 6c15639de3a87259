import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { Planned } from './Planned';

const side = (index: number, name: string) => ({ index, system: `s${index}`, name, monogram: 'S', colour: '#123456' });
const whole = {
  sides: [side(0, 'Slipway CRM'), side(1, 'Ballast ERP')],
  writes: [
    { kind: 'change', side: 0, title: 'Tern', link: 'l-1', fields: [{ field: 'Town', now: '', after: 'Kelburn' }] },
    {
      kind: 'create',
      side: 1,
      title: 'Otter',
      link: null,
      fields: [
        { field: 'Name', now: '', after: 'Otter' },
        { field: 'Town', now: '', after: '' },
      ],
    },
    { kind: 'remove', side: 1, title: 'Heron', link: 'l-2', recordId: 'C-17', fields: [] },
  ],
  total: 3,
  counts: [
    { kind: 'change', side: 0, count: 1 },
    { kind: 'create', side: 1, count: 1 },
    { kind: 'remove', side: 1, count: 1 },
  ],
  held: [] as object[],
};
let planned = whole;
const asked = vi.hoisted(() => vi.fn());
vi.mock('../../api/queries', () => ({
  usePlanned: (run: number, only: object) => {
    asked(run, only);
    return { data: planned };
  },
}));
const open = () =>
  render(
    <MemoryRouter>
      <Planned run={9} title="What a run would write" />
    </MemoryRouter>,
  );
const csv = () => screen.getByRole('link', { name: 'CSV' }).getAttribute('href');

beforeEach(() => {
  planned = whole;
});
afterEach(cleanup);

test('each write is one line: before and after, what is created, what is removed', () => {
  open();
  const line = (title: string) => screen.getByTitle(title).closest('li')!.textContent;
  expect(line('Tern')).toContain('Town: empty → Kelburn');
  expect(line('Otter')).toMatch(/created.*OtterOtter$/);
  expect(line('Heron')).toContain('− removed');
  expect(line('Heron')).toContain('C-17');
  expect(screen.queryByRole('link', { name: 'Otter' })).toBeNull();
});

test('a kind on a side and a text narrow it, and the file is of the same', () => {
  open();
  expect(csv()).toBe('/api/runs/9/planned.csv?');
  fireEvent.click(screen.getByRole('button', { name: /created in Ballast ERP/ }));
  expect(asked).toHaveBeenLastCalledWith(9, { kind: 'create', side: 1, text: undefined });
  fireEvent.change(screen.getByRole('searchbox'), { target: { value: 'a & b' } });
  expect(asked).toHaveBeenLastCalledWith(9, { kind: 'create', side: 1, text: 'a & b' });
  expect(csv()).toBe('/api/runs/9/planned.csv?kind=create&side=1&text=a+%26+b');
  fireEvent.click(screen.getByRole('button', { name: /^All/ }));
  expect(asked).toHaveBeenLastCalledWith(9, { text: 'a & b' });
});

test('nothing to write, none that fits, and more than are shown are told apart', () => {
  planned = { ...whole, writes: [], total: 0, counts: [] };
  open();
  expect(screen.getByText('Nothing.')).toBeTruthy();
  expect(screen.queryByRole('link', { name: 'CSV' })).toBeNull();
  cleanup();
  planned = { ...whole, writes: [], total: 0 };
  open();
  expect(screen.getByText('None fits.')).toBeTruthy();
  cleanup();
  planned = { ...whole, total: 4200 };
  open();
  expect(screen.getByText(`The first 3 of ${(4200).toLocaleString()} are shown.`)).toBeTruthy();
});

test('what a run would hold stands first, by reason, with examples', () => {
  planned = {
    ...whole,
    held: [
      {
        side: 0,
        field: 'Town',
        pattern: 'Town is …',
        records: 3,
        examples: [{ title: 'Gannet', reason: 'Town is 7' }],
      },
    ],
  };
  open();
  const section = screen.getByRole('region', { name: 'What a run would hold' });
  expect(section.textContent).toContain('3 records, for 1 reason');
  expect(section.textContent).toContain('Gannet: Town is 7');
});
