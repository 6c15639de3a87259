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
  isJudged: false,
  ...some,
});

test('a draft without findings says that nothing is wrong and over what', () => {
  render(<CheckPanel page={draftPage()} choose={() => {}} edit={vi.fn()} />);
  expect(screen.getByText(/Nothing is wrong and nothing doubtful in 3 fields on 2 sides\./)).toBeTruthy();
});

test('wrong things stand before doubtful ones, and each is opened in its place', () => {
  const choose = vi.fn();
  const findings = [
    finding({ isWrong: true, field: 1, side: 1, path: 'City', words: 'There is no field City.' }),
    finding({ side: 1, path: 'Blocked', words: 'Ballast ERP requires Blocked.' }),
    finding({ words: 'Nothing says when two records are the same.' }),
  ];
  render(<CheckPanel page={draftPage({ findings })} choose={choose} edit={vi.fn()} />);
  expect(screen.getAllByRole('region').map((r) => r.getAttribute('aria-label'))).toEqual(['Wrong', 'Doubtful']);
  within(screen.getByRole('region', { name: 'Wrong' }))
    .getByRole('button', { name: 'Open City' })
    .click();
  expect(choose).toHaveBeenLastCalledWith({ kind: 'field', field: 'Town', side: 1 });
  screen.getByRole('button', { name: 'Open Blocked' }).click();
  expect(choose).toHaveBeenLastCalledWith({ kind: 'constant', side: 1, path: 'Blocked' });
  expect(screen.getAllByRole('button', { name: /^Open/ })).toHaveLength(2);
});

test('that samples could not be read is said where people look for it', () => {
  render(<CheckPanel page={draftPage({ fault: 'Slipway CRM can’t be reached.' })} choose={() => {}} edit={vi.fn()} />);
  expect(screen.getByText(/No samples: Slipway CRM can’t be reached\./)).toBeTruthy();
});

test('a doubt is judged, told apart from those that are not, and doubted again', () => {
  const edit = vi.fn();
  const findings = [
    finding({ words: 'Town is alone in its group.' }),
    finding({ words: 'Nobody takes Note.', isJudged: true }),
  ];
  const page = draftPage({ findings });
  page.settings.judged = ['Nobody takes Note.'];
  render(<CheckPanel page={page} choose={() => {}} edit={edit} />);
  screen.getByRole('button', { name: 'It is as it should be: Town is alone in its group.' }).click();
  expect(edit.mock.calls[0]![2].judged).toEqual(['Nobody takes Note.', 'Town is alone in its group.']);
  within(screen.getByRole('region', { name: 'Judged as it should be' }))
    .getByRole('button', { name: 'Doubt it again: Nobody takes Note.' })
    .click();
  expect(edit.mock.calls[1]![2].judged).toEqual([]);
});

test('when all doubts are judged the check says that it is clean, and what was judged stays to be read', () => {
  render(<CheckPanel page={draftPage({ findings: [finding({ isJudged: true })] })} choose={() => {}} edit={vi.fn()} />);
  expect(screen.getByText(/nothing doubtful that you have not judged in 3 fields/)).toBeTruthy();
  expect(screen.getByText('Something.', { exact: false })).toBeTruthy();
});
