import type { DraftPage, DraftSettings } from '../../api/client';
import { useDraft, useEditDraft, useMoveDraft } from '../../api/queries';
import { Failing, Loading, Notice } from '../../parts/States';
import { DraftBar } from './bench/DraftBar';
import { SideRow } from './Sides';
import { INPUT, Captioned, Tick } from '../../parts/inputs';

type DraftSide = DraftSettings['sides'][number];

const REMOVALS: Record<DraftSide['removal'], string> = {
  ask: 'a person is asked',
  removeElsewhere: 'it is removed elsewhere too',
  forgetLink: 'it is no longer followed there',
  createAgain: 'it is created there again',
};

/** What each side may do in the mirror, edited in its draft. */
export function SidesDraft({ mirrorKey, check }: { mirrorKey: string; check: () => void }) {
  const draft = useDraft(mirrorKey, 1, '');
  const { edit, error } = useEditDraft(mirrorKey);
  const move = useMoveDraft(mirrorKey);
  if (draft.isPending) return <Loading what="the sides" />;
  if (draft.isError) return <Failing error={draft.error} retry={() => void draft.refetch()} />;
  const { settings, sides, fields, step } = draft.data;
  const change = (what: string, index: number, some: Partial<DraftSide>) =>
    edit(what, fields, { ...settings, sides: settings.sides.map((s, i) => (i === index ? { ...s, ...some } : s)) });
  return (
    <>
      <DraftBar
        draft={draft.data}
        move={move.mutate}
        busy={move.isPending}
        check={check}
        discardQuestion={`Throw away ${step} edits? What is live stays as it is. This can't be undone.`}
      />
      {error && <Notice>{error.message}</Notice>}
      <ul className="border-y border-rule bg-sheet">
        {sides.map((s) => {
          const own = settings.sides[s.index]!;
          return (
            <SideRow key={s.index} side={s} fields={fields}>
              <div className="space-y-2">
                <Tick
                  on={own.mayCreate}
                  set={(mayCreate) =>
                    change(mayCreate ? `Create in ${s.name}` : `Create nothing in ${s.name}`, s.index, { mayCreate })
                  }
                >
                  create there what it lacks
                </Tick>
                <Constants page={draft.data} side={s.index} />
              </div>
              <Captioned label={`Removed in ${s.name}:`}>
                <select
                  className={INPUT}
                  value={own.removal}
                  onChange={(e) =>
                    change(`Removed in ${s.name}: ${REMOVALS[e.target.value as DraftSide['removal']]}`, s.index, {
                      removal: e.target.value as DraftSide['removal'],
                    })
                  }
                >
                  {Object.entries(REMOVALS).map(([id, words]) => (
                    <option key={id} value={id}>
                      {words}
                    </option>
                  ))}
                </select>
              </Captioned>
            </SideRow>
          );
        })}
      </ul>
    </>
  );
}

function Constants({ page, side }: { page: DraftPage; side: number }) {
  const { constants } = page.settings.sides[side]!;
  if (constants.length === 0) return null;
  return (
    <p className="text-sm text-soft">A new one is given {constants.map((c) => `${c.path} “${c.text}”`).join(', ')}.</p>
  );
}
