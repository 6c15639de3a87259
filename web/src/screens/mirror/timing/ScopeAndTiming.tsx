import type { MirrorPage, Session } from '../../../api/client';
import { useMirrorState } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { Notice } from '../../../parts/States';
import { When } from '../../../parts/When';
import { DraftStep } from '../bench/DraftStep';
import { Guards } from '../Guards';
import { ScopeOfSide } from './ScopeOfSide';
import { Trouble } from './Trouble';
import { TimingEditor } from './TimingEditor';

/** Which records take part, when the mirror runs by itself, and what pauses a run. */
export function ScopeAndTiming({ page, session, check }: { page: MirrorPage; session: Session; check: () => void }) {
  const { mirror } = page;
  const mayChange = session.role === 'administrator';
  return (
    <>
      {mayChange ? (
        <Edited mirrorKey={mirror.key} check={check} />
      ) : (
        <p className="bg-sheet px-4 py-3">{mirror.when}</p>
      )}
      <Pausing page={page} mayChange={mayChange} />
      <Guards mirror={mirror.key} guards={page.guards} mayChange={mayChange} />
    </>
  );
}

function Edited({ mirrorKey, check }: { mirrorKey: string; check: () => void }) {
  return (
    <DraftStep mirrorKey={mirrorKey} what="the scope" check={check}>
      {({ settings, sides, fields }, edit) => (
        <>
          <section aria-label="Scope">
            <h2 className="mb-1 font-semibold">Which records take part</h2>
            <ul className="border-y border-rule bg-sheet [&>li+li]:border-t [&>li]:border-rule">
              {sides.map((side) => (
                <ScopeOfSide
                  // An undone edit is shown as it was.
                  key={`${side.index} ${settings.sides[side.index]!.scope ?? ''}`}
                  mirrorKey={mirrorKey}
                  side={side}
                  own={settings.sides[side.index]!}
                  keep={(what, some) =>
                    edit(what, fields, {
                      ...settings,
                      sides: settings.sides.map((s, i) => (i === side.index ? { ...s, ...some } : s)),
                    })
                  }
                />
              ))}
            </ul>
          </section>
          <Trouble
            after={settings.stopsAfter ?? null}
            keep={(what, stopsAfter) => edit(what, fields, { ...settings, stopsAfter })}
          />
          <TimingEditor
            mirrorKey={mirrorKey}
            sides={[...new Map(sides.map((s) => [s.system, s])).values()]}
            timing={settings.timing!}
            keep={(what, timing) => edit(what, fields, { ...settings, timing })}
          />
        </>
      )}
    </DraftStep>
  );
}

/** Whether the mirror runs by itself at all: said at once, not by way of the draft. */
function Pausing({ page, mayChange }: { page: MirrorPage; mayChange: boolean }) {
  const { mirror } = page;
  const save = useMirrorState(mirror.key);
  if (mirror.state === 'draft') return null;
  return (
    <div className="mt-4 flex max-w-[770px] items-center gap-3">
      <p className="text-soft">
        {mirror.state === 'paused' ? (
          'It is paused: it does not run by itself.'
        ) : mirror.nextRun ? (
          <>
            Version {mirror.version} is live; its next run begins <When at={mirror.nextRun} past={false} />.
          </>
        ) : (
          `Version ${mirror.version} is live; no run is due at a set time.`
        )}
      </p>
      {mayChange && (
        <Button
          className="ml-auto"
          disabled={save.isPending}
          onClick={() => save.mutate(mirror.state === 'paused' ? 'live' : 'paused')}
        >
          {mirror.state === 'paused' ? 'Make it live again' : 'Pause it'}
        </Button>
      )}
      {save.isError && <Notice>{save.error.message}</Notice>}
    </div>
  );
}
