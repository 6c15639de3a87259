import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter, Route, Routes } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { LookUp } from './LookUp';

const page = {
  mirror: 'customers',
  mirrorName: 'Customers',
  form: { isOn: true, fields: ['Name'], perMinute: 60 },
  address: '/lookup/customers',
  sides: [
    { index: 0, system: 'slipway', name: 'Slipway CRM' },
    { index: 1, system: 'ballast', name: 'Ballast ERP' },
  ],
  fields: ['Name', 'Town', 'Credit limit'],
  knownBy: ['Name'],
  keys: [{ id: 3, name: 'The web shop', madeBy: 'Maren', madeAt: '2026-03-02T08:00:00Z', lastUsedAt: null }],
};
const asked = vi.hoisted(() => ({ save: vi.fn(), make: vi.fn(), end: vi.fn(), ask: vi.fn() }));
const answers = vi.hoisted(() => ({ made: undefined as unknown, tried: undefined as unknown }));
const mutation = (mutate: unknown, data?: unknown) => ({
  mutate,
  data,
  isPending: false,
  isError: false,
  isSuccess: false,
  error: null,
});
vi.mock('../../api/queries', () => ({
  useLookup: () => ({ data: page }),
  useSaveLookup: () => mutation(asked.save),
  useMakeLookupKey: () => mutation(asked.make, answers.made),
  useEndLookupKey: () => mutation(asked.end),
  useTryLookup: () => mutation(asked.ask, answers.tried),
}));
const open = () =>
  render(
    <MemoryRouter initialEntries={['/mirrors/customers/look-up']}>
      <Routes>
        <Route path="/mirrors/:key/look-up" element={<LookUp />} />
      </Routes>
    </MemoryRouter>,
  );

beforeEach(() => {
  Object.values(asked).forEach((f) => f.mockReset());
  answers.made = answers.tried = undefined;
});
afterEach(cleanup);

test('what is given is chosen field by field, all, or none, and kept once it differs', () => {
  open();
  const keep = screen.getByRole<HTMLButtonElement>('button', { name: 'Keep it so' });
  expect(keep.disabled).toBe(true);
  fireEvent.click(screen.getByRole('button', { name: 'all' }));
  fireEvent.click(screen.getByLabelText('Credit limit'));
  fireEvent.change(screen.getByLabelText('Times a minute, for each key'), { target: { value: '12x0' } });
  fireEvent.click(keep);
  expect(asked.save).toHaveBeenCalledWith({ isOn: true, fields: ['Name', 'Town'], perMinute: 120 });
});

test('it is asked by an id of a side or by a value, as somebody with a key would', () => {
  open();
  const ask = () => fireEvent.click(screen.getByRole('button', { name: 'Ask' }));
  fireEvent.change(screen.getByLabelText('Which is'), { target: { value: ' C-17 ' } });
  fireEvent.change(screen.getByLabelText('Known of it is'), { target: { value: 'ballast' } });
  ask();
  expect(asked.ask).toHaveBeenLastCalledWith({
    system: 'ballast',
    id: 'C-17',
    field: null,
    value: null,
    view: 'agreed',
  });
  fireEvent.change(screen.getByLabelText('Known of it is'), { target: { value: 'field Name' } });
  fireEvent.change(screen.getByLabelText('They get'), { target: { value: 'slipway' } });
  ask();
  expect(asked.ask).toHaveBeenLastCalledWith({ field: 'Name', value: 'C-17', system: null, id: null, view: 'slipway' });
});

test('an answer and a refusal are told apart by more than their colour', () => {
  answers.tried = { request: 'curl …', status: 404, answer: '{}', milliseconds: 4 };
  open();
  expect(screen.getByText('× 404')).toBeTruthy();
  cleanup();
  answers.tried = { request: 'curl …', status: 200, answer: '{"fields":{}}', milliseconds: 4 };
  open();
  expect(screen.getByText('= 200')).toBeTruthy();
  expect(screen.getByLabelText('The answer').textContent).toBe('{"fields":{}}');
});

test('a key is shown when it was made, and taken away only by somebody who means it', () => {
  answers.made = { key: 'look_abc' };
  open();
  expect(screen.getByRole('status').textContent).toContain('look_abc');
  const sure = vi.spyOn(window, 'confirm').mockReturnValue(false);
  const away = screen.getByRole('button', { name: 'Take the key of The web shop away' });
  fireEvent.click(away);
  expect(asked.end).not.toHaveBeenCalled();
  sure.mockReturnValue(true);
  fireEvent.click(away);
  expect(asked.end).toHaveBeenCalledWith(3);
  sure.mockRestore();
});
