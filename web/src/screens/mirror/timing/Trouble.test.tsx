import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { Trouble } from './Trouble';

afterEach(cleanup);

test('going over the number by the Tab key changes nothing; typing one does', () => {
  const keep = vi.fn();
  render(<Trouble after={null} keep={keep} />);
  const number = screen.getByLabelText('Records after which a run stops');
  fireEvent.focus(number);
  fireEvent.blur(number);
  expect(keep).not.toHaveBeenCalled();
  fireEvent.change(number, { target: { value: '35' } });
  fireEvent.blur(number);
  expect(keep).toHaveBeenCalledWith("stops after 35 records that can't be taken", 35);
});

test('the three ways are said as they are', () => {
  const keep = vi.fn();
  render(<Trouble after={7} keep={keep} />);
  expect(screen.getByLabelText('Records after which a run stops')).toHaveProperty('value', '7');
  fireEvent.click(screen.getByLabelText('Stop the run at the first'));
  expect(keep).toHaveBeenLastCalledWith("stops at the first record that can't be taken", 1);
  fireEvent.click(screen.getByLabelText('Set it aside and go on with the others'));
  expect(keep).toHaveBeenLastCalledWith("goes on when records can't be taken", null);
});
