import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react';
import { MemoryRouter, Route, Routes } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { BringIn } from './BringIn';

const system = (over = {}) => ({
  key: 'crm',
  name: 'Their CRM',
  protocol: 'rest',
  collections: ['people'],
  used: 5,
  guess: 'slipway' as string | null,
  candidates: [
    { system: 'slipway', name: 'Slipway CRM', missing: [] as string[] },
    { system: 'pennant', name: 'Pennant Mail', missing: ['born'] },
  ],
  ...over,
});
const whole = {
  problems: [] as object[],
  mirrors: [{ key: 'people', name: 'People', sides: ['Their CRM'], fields: 7, exists: false }],
  codeLists: [] as string[],
  systems: [system()],
};
let shown = whole;
const asked = vi.hoisted(() => ({ bring: vi.fn() }));
vi.mock('../../api/queries', async () => {
  const { useState } = await import('react');
  return {
    useTemplate: () => ({ data: undefined, isError: false }),
    useBringIn: () => ({ mutate: asked.bring, reset: () => undefined, isPending: false, isError: false }),
    useLookAtFile: () => {
      const [data, set] = useState<typeof whole>();
      return {
        data,
        mutate: (_: string, then: { onSuccess: (shown: typeof whole) => void }) => {
          set(shown);
          then.onSuccess(shown);
        },
      };
    },
  };
});
const choose = async (container: HTMLElement) => {
  const file = new File(['form: 1'], 'mirrors.yaml');
  file.text = () => Promise.resolve('form: 1');
  fireEvent.change(container.querySelector('input[type=file]')!, { target: { files: [file] } });
  await waitFor(() => screen.getByText('mirrors.yaml'));
};
const open = async () => {
  const { container } = render(
    <MemoryRouter initialEntries={['/mirrors/file']}>
      <Routes>
        <Route path="/mirrors/file" element={<BringIn />} />
      </Routes>
    </MemoryRouter>,
  );
  await choose(container);
};
const button = () => screen.getByRole<HTMLButtonElement>('button', { name: 'Bring in as drafts' });

beforeEach(() => {
  shown = whole;
  asked.bring.mockReset();
});
afterEach(cleanup);

test('what it looks like is filled in, what is missing there is told, and a person may say otherwise', async () => {
  await open();
  expect(screen.getByText('All 5 fields that the mirrors use are there.')).toBeTruthy();
  fireEvent.change(screen.getByLabelText('Their CRM is'), { target: { value: 'pennant' } });
  expect(screen.getByText('△ 4 of 5 fields are there; not: born.')).toBeTruthy();
  fireEvent.click(button());
  expect(asked.bring.mock.calls[0]![0]).toEqual({ text: 'form: 1', systems: { crm: 'pennant' }, names: {} });
});

test('nothing is brought in before every system is said; one that is not here is left out', async () => {
  shown = { ...whole, systems: [system({ guess: null, candidates: [] })] };
  await open();
  expect(screen.getByText(/No connection is reached so and has people/)).toBeTruthy();
  expect(button().disabled).toBe(true);
  fireEvent.change(screen.getByLabelText('Their CRM is'), { target: { value: '' } });
  fireEvent.click(button());
  expect(asked.bring.mock.calls[0]![0]).toMatchObject({ systems: { crm: '' } });
});

test('a name that is taken needs another one', async () => {
  shown = { ...whole, mirrors: [{ ...whole.mirrors[0]!, exists: true }] };
  await open();
  expect(button().disabled).toBe(true);
  fireEvent.change(screen.getByLabelText(/A mirror of this name is here already/), { target: { value: 'Members' } });
  fireEvent.click(button());
  expect(asked.bring.mock.calls[0]![0]).toMatchObject({ names: { people: 'Members' } });
});

test('every mistake of a file is told by its line, and nothing can be brought in', async () => {
  shown = {
    ...whole,
    problems: [
      { line: 7, words: 'There is no type colour.' },
      { line: null, words: 'It has no mirrors.' },
    ],
  };
  await open();
  const wrong = screen.getByRole('alert', { name: 'What is wrong' });
  expect(wrong.textContent).toContain('2 things are wrong');
  expect(wrong.textContent).toContain('line 7There is no type colour.');
  expect(screen.queryByRole('button', { name: 'Bring in as drafts' })).toBeNull();
});
