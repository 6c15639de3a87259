import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { CollectionFound, CollectionSettings } from '../../api/client';
import { Collections } from './Collections';

const change = vi.fn();
beforeEach(() => change.mockReset());
afterEach(cleanup);

const orders: CollectionFound = {
  name: 'webshop-orders',
  fields: 4,
  settings: { id: '', filePattern: 'webshop-orders*' } as CollectionSettings,
  guesses: [],
  columns: ['order_no', 'price', 'sku', 'who'],
};

const show = (own: Partial<CollectionSettings> | null) => {
  render(
    <Collections
      found={[orders]}
      set={own ? { 'webshop-orders': { ...orders.settings!, ...own } } : {}}
      change={change}
      canBeSet={false}
      areFiles
    />,
  );
  fireEvent.click(screen.getByRole('button', { name: /webshop-orders/ }));
};

test('of files it is said which rows are one record, by a column that they have in common', () => {
  show(null);
  expect(screen.getByText(/· each row is a record/)).toBeTruthy();
  fireEvent.change(screen.getByLabelText('Rows are one record that say the same in'), {
    target: { value: 'order_no' },
  });
  expect(change).toHaveBeenCalledWith('webshop-orders', {
    id: '',
    filePattern: 'webshop-orders*',
    rowsBy: 'order_no',
    lineColumns: null,
  });
});

test('the columns that belong to the lines are ticked, and the common one is not among them', () => {
  show({ rowsBy: 'order_no', lineColumns: ['sku'] });
  expect(screen.queryByLabelText('order_no')).toBeNull();
  expect((screen.getByLabelText('sku') as HTMLInputElement).checked).toBe(true);
  fireEvent.click(screen.getByLabelText('price'));
  expect(change.mock.calls[0]![1].lineColumns).toEqual(['sku', 'price']);
  fireEvent.click(screen.getByLabelText('sku'));
  expect(change.mock.calls[1]![1].lineColumns).toEqual([]);
});
