import type { ReactNode } from 'react';
import type { DraftPage } from '../../../api/client';
import { useDraft, useEditDraft, useMoveDraft } from '../../../api/queries';
import { Failing, Loading, Notice } from '../../../parts/States';
import { DraftBar } from './DraftBar';

type Edit = ReturnType<typeof useEditDraft>['edit'];

/** A step that edits the draft: what the draft is, what went wrong with the last edit, and below it the step itself. */
export function DraftStep({
  mirrorKey,
  what,
  check,
  children,
}: {
  mirrorKey: string;
  /** What is read, for whoever waits. */
  what: string;
  check: () => void;
  children: (draft: DraftPage, edit: Edit) => ReactNode;
}) {
  const draft = useDraft(mirrorKey, 1, '');
  const { edit, error } = useEditDraft(mirrorKey);
  const move = useMoveDraft(mirrorKey);
  if (draft.isPending) return <Loading what={what} />;
  if (draft.isError) return <Failing error={draft.error} retry={() => void draft.refetch()} />;
  return (
    <>
      <DraftBar
        draft={draft.data}
        move={move.mutate}
        busy={move.isPending}
        check={check}
        discardQuestion={`Throw away ${draft.data.step} edits? What is live stays as it is. This can't be undone.`}
      />
      {error && <Notice>{error.message}</Notice>}
      {move.isError && <Notice>{move.error.message}</Notice>}
      {children(draft.data, edit)}
    </>
  );
}
