import type { DraftPage, DraftSettings } from '../../api/client';
import { DraftStep } from './bench/DraftStep';
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
  return (
    <DraftStep mirrorKey={mirrorKey} what="the sides" check={check}>
      {(draft, edit) => <SideList draft={draft} edit={(what, settings) => edit(what, draft.fields, settings)} />}
    </DraftStep>
  );
}

function SideList({ draft, edit }: { draft: DraftPage; edit: (what: string, settings: DraftSettings) => void }) {
  const { settings, sides, fields } = draft;
  const change = (what: string, index: number, some: Partial<DraftSide>) =>
    edit(what, { ...settings, sides: settings.sides.map((s, i) => (i === index ? { ...s, ...some } : s)) });
  return (
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
              <Constants page={draft} side={s.index} />
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
  );
}

function Constants({ page, side }: { page: DraftPage; side: number }) {
  const { constants } = page.settings.sides[side]!;
  if (constants.length === 0) return null;
  return (
    <p className="text-sm text-soft">A new one is given {constants.map((c) => `${c.path} “${c.text}”`).join(', ')}.</p>
  );
}
