import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { ConversionForm } from '../../../api/client';
import { CodeListEditor } from './CodeListEditor';

const shared = [
  {
    name: 'Countries',
    codes: [['GBR', 'GB']],
    unknownToAgreed: null,
    unknownToSide: null,
    changedBy: 'Maren Voll',
    changedAt: '2026-03-02T09:00:00Z',
    mirrors: ['Customers'],
  },
];
const saveShared = vi.fn();
const seen = vi.fn();
vi.mock('../../../api/queries', () => ({
  useCodeLists: () => ({ data: shared }),
  useSaveCodeList: () => ({ mutate: saveShared, isError: false }),
  useSeenCodes: () => ({ mutate: seen, isPending: false, isError: false, data: undefined }),
}));

const keepList = vi.fn();
const own: ConversionForm = { kind: 'codeList', codes: [['CL', 'Club']] };
const show = (list: ConversionForm) =>
  render(
    <CodeListEditor
      mirrorKey="customers"
      side={1}
      sideName="Ballast ERP"
      path="GroupCode"
      field="Segment"
      list={list}
      keepList={keepList}
    />,
  );

beforeEach(() => [keepList, saveShared, seen].forEach((f) => f.mockReset()));
afterEach(cleanup);

test('a row is added at the end and kept when both of its sides are typed, not before', () => {
  show(own);
  fireEvent.change(screen.getByLabelText('Code 2'), { target: { value: 'SH' } });
  fireEvent.blur(screen.getByLabelText('Code 2'));
  expect(keepList).not.toHaveBeenCalled();
  fireEvent.change(screen.getByLabelText('Agreed value 2'), { target: { value: 'Shop' } });
  fireEvent.blur(screen.getByLabelText('Agreed value 2'));
  expect(keepList).toHaveBeenCalledWith(
    expect.objectContaining({
      codes: [
        ['CL', 'Club'],
        ['SH', 'Shop'],
      ],
    }),
  );
});

test('filling from the values seen adds the codes with a meaning and never changes what stands there', () => {
  seen.mockImplementation((_: unknown, then: { onSuccess: (found: object) => void }) =>
    then.onSuccess({
      codes: [
        { code: 'cl', agreed: 'Clutter' },
        { code: 'SC', agreed: 'School' },
        { code: 'XX', agreed: null },
      ],
    }),
  );
  show(own);
  screen.getByRole('button', { name: 'Fill from values seen' }).click();
  expect(seen.mock.calls[0]![0]).toEqual({ side: 1, path: 'GroupCode', field: 'Segment' });
  expect(keepList).toHaveBeenCalledWith(
    expect.objectContaining({
      codes: [
        ['CL', 'Club'],
        ['SC', 'School'],
      ],
    }),
  );
});

test('a shared list says who uses it and that a change counts at once, and is kept as shared', () => {
  show({ kind: 'codeList', name: 'Countries', codes: [] });
  expect(screen.getByText(/Shared by Customers\. A change counts at once/)).toBeTruthy();
  screen.getByRole('button', { name: 'Take GBR out' }).click();
  expect(saveShared).toHaveBeenCalledWith({ name: 'Countries', codes: [], unknownToAgreed: null, unknownToSide: null });
  expect(keepList).not.toHaveBeenCalled();
});

test('what becomes of an unknown code is said for each way', () => {
  show(own);
  fireEvent.change(screen.getByLabelText('A code that is not in it'), { target: { value: 'pass' } });
  expect(keepList).toHaveBeenLastCalledWith(
    expect.objectContaining({ unknownToAgreed: { kind: 'pass', stand: null } }),
  );
  fireEvent.change(screen.getByLabelText('An agreed value that Ballast ERP has no code for'), {
    target: { value: 'value' },
  });
  const stand = screen.getByLabelText('An agreed value that Ballast ERP has no code for becomes');
  fireEvent.change(stand, { target: { value: 'OT' } });
  fireEvent.blur(stand);
  expect(keepList).toHaveBeenLastCalledWith(expect.objectContaining({ unknownToSide: { kind: 'value', stand: 'OT' } }));
});
