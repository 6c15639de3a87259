import type { DraftPage, Run } from '../../api/client';

/** How far a step of a mirror is, and why it needs attention where it does. */
export type StepState = { state: 'not begun' | 'fine' | 'needs attention'; why?: string };

/** The state of each step, by what the check says of the draft, and by whether it was rehearsed as it stands. Nothing is said before the draft is read. */
export function stepStates(page: DraftPage | undefined, runs: Run[] = []): Record<string, StepState | undefined> {
  if (!page) return {};
  const inFields = page.findings.filter((f) => f.isWrong && (f.field !== null || f.path !== null));
  const begun = page.fields.length > 0;
  return {
    sides: { state: 'fine' },
    fields: !begun
      ? { state: 'not begun', why: 'Nothing is mapped yet.' }
      : inFields[0]
        ? { state: 'needs attention', why: inFields[0].words }
        : { state: 'fine' },
    recognising:
      page.settings.recognising.length === 0 && !page.settings.likeness && !page.settings.leavesOut
        ? { state: 'not begun', why: 'Nothing says yet when two records are the same.' }
        : [...page.settings.recognising, ...(page.settings.likeness?.evidence ?? []).map((e) => e.field)].some((r) =>
              page.fields.every((f) => f.name !== r),
            )
          ? { state: 'needs attention', why: 'It goes by a field that there is not any more.' }
          : { state: 'fine' },
    settling: begun ? { state: 'fine' } : { state: 'not begun', why: 'Nothing is mapped yet.' },
    timing: begun ? { state: 'fine' } : { state: 'not begun', why: 'Nothing is mapped yet.' },
    rehearse:
      (page.step === 0 && page.basedOn > 0) || runs.some((r) => isRehearsalOf(page, r))
        ? { state: 'fine' }
        : { state: 'not begun', why: 'What the draft would write is not known before it is rehearsed.' },
    publish:
      page.step > 0 && page.findings.some((f) => f.isWrong)
        ? { state: 'needs attention', why: 'Something is wrong; it can’t be published so.' }
        : page.step > 0 || page.basedOn === 0
          ? { state: 'not begun', why: 'The draft is not published.' }
          : { state: 'fine' },
  };
}

/** Whether a run rehearsed the draft as it stands, to its end. */
const isRehearsalOf = (page: DraftPage, run: Run) =>
  !!run.ofDraft &&
  run.state === 'finished' &&
  run.version === page.basedOn &&
  (!page.at || new Date(run.startedAt) >= new Date(page.at));
