import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { AgreedField } from './AgreedField';
import { draftPage } from './draftPage.sample';

const worked = vi.fn();
vi.mock('../../../api/queries', () => ({
  useFunctions: () => ({ data: [] }),
  useWorkedOut: (...asked: unknown[]) => worked(...asked) ?? {},
}));
const edit = vi.fn();
const choose = vi.fn();
beforeEach(() => [edit, choose, worked].forEach((f) => f.mockReset()));
afterEach(cleanup);

const show = (name: string, inLines = false) => {
  const page = draftPage();
  const all = inLines ? page.fields[2]!.lines!.fields : page.fields;
  render(
    <MemoryRouter>
      <AgreedField
        mirrorKey="customers"
        at={3}
        find="weir"
        field={all.find((f) => f.name === name)!}
        page={page}
        edit={edit}
        choose={choose}
        inLines={inLines}
      />
    </MemoryRouter>,
  );
};

test('a field gets another name when it is left, and its panel follows it', () => {
  show('Town');
  const input = screen.getByLabelText('Name');
  fireEvent.change(input, { target: { value: ' City ' } });
  fireEvent.blur(input);
  expect(edit.mock.calls[0]![0]).toBe('Call Town City');
  expect(choose).toHaveBeenCalledWith({ kind: 'field', field: 'City', side: null });
});

test('what recognises records, names them and tells their country is said of a field, and taken back', () => {
  show('Name');
  fireEvent.click(screen.getByLabelText(/Records with the same Name are one/));
  expect(edit.mock.calls[0]![2].recognising).toEqual([]);
  cleanup();
  show('Town');
  fireEvent.click(screen.getByLabelText(/People know a record by it/));
  expect(edit.mock.calls[1]![2].titleField).toBe('Town');
  fireEvent.click(screen.getByLabelText(/It says the country/));
  expect(edit.mock.calls[2]![2].countryField).toBe('Town');
});

test('lines say what tells them apart and what they must add up to, and get fields of their own', () => {
  show('Lines');
  fireEvent.change(screen.getByLabelText('Told apart by'), { target: { value: 'Product' } });
  expect(edit.mock.calls[0]![1][2].lines.key).toBe('Product');
  screen.getByRole('button', { name: 'Add a line field' }).click();
  expect(edit.mock.calls[1]![1][2].lines.fields.map((f: { name: string }) => f.name)).toEqual([
    'Line',
    'Product',
    'Line field',
  ]);
  expect(choose).toHaveBeenCalledWith({ kind: 'field', field: 'Lines', side: null, line: 'Line field' });
});

test('a field of lines is asked nothing that only concerns whole records', () => {
  show('Product', true);
  expect(screen.queryByLabelText(/Records with the same/)).toBeNull();
  expect(screen.queryByLabelText('Field group')).toBeNull();
  expect(screen.getByLabelText('Holds').textContent).not.toContain('lines');
});

test('a field is worked out of the others: tried on the sample as it is typed, kept when it is left, and given by nobody', () => {
  worked.mockReturnValue({
    data: { title: 'Heron Weir', value: 'TIDEWELL', inWords: 'Town in capitals', problem: null },
  });
  show('Town');
  fireEvent.click(screen.getByRole('button', { name: 'Work it out by a formula…' }));
  const formula = screen.getByRole('combobox', { name: 'Worked out as' });
  fireEvent.change(formula, { target: { value: 'UPPER(Name)' } });
  expect(worked).toHaveBeenLastCalledWith('customers', 'Town', 'text', 'UPPER(Name)', 3, 'weir');
  expect(screen.getByText('TIDEWELL')).toBeTruthy();
  fireEvent.blur(formula);
  const town = edit.mock.calls[0]![1].find((f: { name: string }) => f.name === 'Town');
  expect(town.workedOut).toBe('UPPER(Name)');
  expect(town.cells.every((c: { gives: boolean } | null) => !c?.gives)).toBe(true);
});

test('what is wrong with the formula is told, and lines can not be worked out', () => {
  worked.mockReturnValue({ data: { title: null, value: null, inWords: null, problem: 'There is no field Nme.' } });
  show('Town');
  fireEvent.click(screen.getByRole('button', { name: 'Work it out by a formula…' }));
  fireEvent.change(screen.getByRole('combobox', { name: 'Worked out as' }), { target: { value: 'Nme' } });
  expect(screen.getByText('There is no field Nme.')).toBeTruthy();
  cleanup();
  show('Lines');
  expect(screen.queryByRole('button', { name: 'Work it out by a formula…' })).toBeNull();
});
