import { cleanup, render, screen, within } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { CheckPanel } from './CheckPanel';
import { draftPage } from './draftPage.sample';

afterEach(cleanup);

const finding = (some: object) => ({
  isWrong: false,
  field: null,
  side: null,
  path: null,
  words: 'Something.',
  ...some,
});

test('a draft without findings says that nothing is wrong and over what', () => {
  render(<CheckPanel page={draftPage()} choose={() => {}} />);
  expect(screen.getByText(/Nothing is wrong and nothing doubtful in 3 fields on 2 sides\./)).toBeTruthy();
});

test('wrong things stand before doubtful ones, and each is opened in its place', () => {
  const choose = vi.fn();
  const findings = [
    finding({ isWrong: true, field: 1, side: 1, path: 'City', words: 'There is no field City.' }),
    finding({ side: 1, path: 'Blocked', words: 'Ballast ERP requires Blocked.' }),
    finding({ words: 'Nothing says when two records are the same.' }),
  ];
  render(<CheckPanel page={draftPage({ findings })} choose={choose} />);
  expect(screen.getAllByRole('region').map((r) => r.getAttribute('aria-label'))).toEqual(['Wrong', 'Doubtful']);
  within(screen.getByRole('region', { name: 'Wrong' }))
    .getByRole('button', { name: 'Open City' })
    .click();
  expect(choose).toHaveBeenLastCalledWith({ kind: 'field', field: 'Town', side: 1 });
  screen.getByRole('button', { name: 'Open Blocked' }).click();
  expect(choose).toHaveBeenLastCalledWith({ kind: 'constant', side: 1, path: 'Blocked' });
  expect(screen.getAllByRole('button')).toHaveLength(2);
});

test('that samples could not be read is said where people look for it', () => {
  render(<CheckPanel page={draftPage({ fault: 'Slipway CRM can’t be reached.' })} choose={() => {}} />);
  expect(screen.getByText(/No samples: Slipway CRM can’t be reached\./)).toBeTruthy();
});
