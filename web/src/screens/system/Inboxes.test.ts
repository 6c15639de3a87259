import { expect, test } from 'vitest';
import { flat } from './Inboxes';

test('a record is shown by its paths, as a mirror sees it', () =>
  expect(flat('{"email":"a@t.example","address":{"town":"Kelburn","lines":["1 Quay"]},"vip":true}')).toEqual([
    ['email', 'a@t.example'],
    ['address.town', 'Kelburn'],
    ['address.lines', '["1 Quay"]'],
    ['vip', 'true'],
  ]));

test('what is no record is shown as it came', () => {
  expect(flat('{"email": "cut o')).toBeNull();
  expect(flat('[1]')).toBeNull();
  expect(flat('null')).toBeNull();
});
