import { expect, test } from 'vitest';
import type { DraftPage, Run } from '../../api/client';
import { cellAt, newField } from './bench/edits';
import { stepStates } from './steps';

const page = (some: Partial<DraftPage>): DraftPage =>
  ({
    step: 0,
    basedOn: 1,
    fields: [newField('Name', 'text', [cellAt('name'), cellAt('Title')])],
    findings: [],
    settings: {
      name: 'M',
      titleField: 'Name',
      countryField: null,
      recognising: ['Name'],
      sides: [],
      judged: [],
      leavesOut: false,
    },
    ...some,
  }) as unknown as DraftPage;

const states = (p: DraftPage) => Object.fromEntries(Object.entries(stepStates(p)).map(([step, s]) => [step, s?.state]));

test('before the draft is read nothing is said', () => expect(stepStates(undefined)).toEqual({}));

test('a mirror that is live and right is fine everywhere', () =>
  expect(new Set(Object.values(states(page({}))))).toEqual(new Set(['fine'])));

test('a new mirror has not begun its steps, and says why', () => {
  const empty = page({
    basedOn: 0,
    fields: [],
    settings: {
      name: 'M',
      titleField: '',
      countryField: null,
      recognising: [],
      sides: [],
      judged: [],
      leavesOut: false,
    },
  });
  expect(states(empty)).toEqual({
    sides: 'fine',
    fields: 'not begun',
    recognising: 'not begun',
    settling: 'not begun',
    timing: 'not begun',
    rehearse: 'not begun',
    publish: 'not begun',
  });
  expect(stepStates(empty).recognising?.why).toContain('when two records are the same');
});

test('what is wrong in the fields, or in what recognises, needs attention; a doubt does not', () => {
  const finding = { isWrong: true, field: 0, side: 1, path: 'Title', words: 'It is gone.', isJudged: false };
  expect(stepStates(page({ findings: [finding] })).fields).toEqual({ state: 'needs attention', why: 'It is gone.' });
  expect(states(page({ findings: [{ ...finding, isWrong: false }] })).fields).toBe('fine');
  const other = {
    name: 'M',
    titleField: 'Name',
    countryField: null,
    recognising: ['Gone'],
    sides: [],
    judged: [],
    leavesOut: false,
  };
  expect(states(page({ settings: other })).recognising).toBe('needs attention');
});

test('a draft waits to be rehearsed and published, and can not be while something is wrong', () => {
  expect(states(page({ step: 2 }))).toMatchObject({ rehearse: 'not begun', publish: 'not begun', timing: 'fine' });
  const wrong = { isWrong: true, field: 0, side: null, path: null, words: 'Nobody gives Name.', isJudged: false };
  expect(stepStates(page({ step: 2, findings: [wrong] })).publish).toEqual({
    state: 'needs attention',
    why: 'Something is wrong; it can’t be published so.',
  });
});

test('a draft counts as rehearsed until it is edited again', () => {
  const draft = page({ step: 2, at: '2026-03-02T09:00:00Z' });
  const run = (some: Partial<Run>) =>
    ({ ofDraft: true, version: 1, state: 'finished', startedAt: '2026-03-02T09:05:00Z', ...some }) as Run;
  const rehearse = (some: Partial<Run>) => stepStates(draft, [run(some)]).rehearse?.state;
  expect(rehearse({})).toBe('fine');
  expect(rehearse({ startedAt: '2026-03-02T08:55:00Z' })).toBe('not begun');
  expect(rehearse({ state: 'failed' })).toBe('not begun');
  expect(rehearse({ version: 3 })).toBe('not begun');
  expect(rehearse({ ofDraft: false })).toBe('not begun');
});
