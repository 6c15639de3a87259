import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { useState } from 'react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { FormulaEditor } from './FormulaEditor';

const functions = ['LEFT', 'LEN'].map((name) => ({
  name,
  group: 'Text',
  signature: `${name}(text)`,
  does: `${name} does it.`,
  example: '',
  result: '',
}));
vi.mock('../../../api/queries', () => ({ useFunctions: () => ({ data: functions }) }));

const leave = vi.fn();
function Editor() {
  const [text, setText] = useState('');
  return <FormulaEditor label="To it" value={text} fields={['value', 'Billing city']} type={setText} leave={leave} />;
}

beforeEach(() => {
  leave.mockReset();
  render(<Editor />);
});
afterEach(cleanup);

const area = () => screen.getByRole<HTMLTextAreaElement>('combobox', { name: 'To it' });
const type = (text: string) => fireEvent.change(area(), { target: { value: text, selectionStart: text.length } });
const offered = () => screen.queryAllByRole('option').map((o) => o.textContent);

test('functions and fields are offered while a name is typed, and one is taken by a key', () => {
  type('LE');
  expect(offered()).toEqual(['LEFT(text)LEFT does it.', 'LEN(text)LEN does it.']);
  expect(area().getAttribute('aria-expanded')).toBe('true');
  fireEvent.keyDown(area(), { key: 'ArrowDown' });
  fireEvent.keyDown(area(), { key: 'Enter' });
  expect(area().value).toBe('LEN(');
  expect(offered()).toEqual([]);
});

test('a field with a space is taken in brackets, by a press', () => {
  type('bill');
  fireEvent.mouseDown(screen.getByRole('option', { name: 'Billing city' }));
  expect(area().value).toBe('[Billing city]');
});

test('Escape puts the list away and leaves what was typed; the next letter brings it back', () => {
  type('LE');
  fireEvent.keyDown(area(), { key: 'Escape' });
  expect(offered()).toEqual([]);
  expect(area().value).toBe('LE');
  type('LEF');
  expect(offered()).toHaveLength(1);
});

test('within the brackets of a function it says what that takes, and leaving saves', () => {
  type('LEFT(');
  expect(screen.getByText('LEFT does it.', { exact: false })).toBeTruthy();
  fireEvent.blur(area());
  expect(leave).toHaveBeenCalledOnce();
  expect(screen.queryByText('LEFT does it.', { exact: false })).toBeNull();
});
