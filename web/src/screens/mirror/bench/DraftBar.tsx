import { useNavigate } from 'react-router';
import type { DraftPage } from '../../../api/client';
import { Button } from '../../../parts/Button';

/** What the draft is: how far it went from what is live, what the check says of it, and the ways on. */
export function DraftBar({
  draft,
  move,
  busy,
  check,
  discardQuestion,
}: {
  draft: DraftPage;
  move: (what: 'undo' | 'redo' | 'discard') => void;
  busy: boolean;
  check: () => void;
  discardQuestion: string;
}) {
  const wrong = draft.findings.filter((f) => f.isWrong).length;
  const doubtful = draft.findings.filter((f) => !f.isWrong && !f.isJudged).length;
  const isNew = draft.basedOn === 0;
  const go = useNavigate();
  return (
    <div className="mb-2 flex items-center gap-2 border-b border-rule pb-2">
      <span className="min-w-0 flex-1 truncate text-soft" aria-live="polite">
        {draft.step === 0
          ? isNew
            ? 'A new mirror. Every edit is saved; nothing is written anywhere before it is published.'
            : `As it is live, version ${draft.basedOn}. An edit begins a draft; what is live changes only by publishing.`
          : `Draft, ${draft.step} ${draft.step === 1 ? 'edit' : 'edits'}${isNew ? '' : ` since version ${draft.basedOn}`} · saved · last: ${draft.what}`}
      </span>
      <Button keyHint="c" onClick={check} aria-label={`Check: ${wrong} wrong, ${doubtful} doubtful`}>
        {wrong > 0 ? (
          <span className="text-refused">
            × {wrong} wrong{doubtful > 0 ? `, ${doubtful} doubtful` : ''}
          </span>
        ) : doubtful > 0 ? (
          <span className="text-held">△ {doubtful} doubtful</span>
        ) : (
          <span className="text-action">= Check is clean</span>
        )}
      </Button>
      <Button
        keyHint="z"
        disabled={draft.step === 0 || busy}
        onClick={() => move('undo')}
        title={draft.what ?? undefined}
      >
        Undo
      </Button>
      <Button
        keyHint="y"
        disabled={draft.step >= draft.last || busy}
        onClick={() => move('redo')}
        title={draft.undone ?? undefined}
      >
        Redo
      </Button>
      {draft.step > 0 && (
        <>
          <Button
            disabled={busy}
            onClick={() => {
              if (window.confirm(discardQuestion)) move('discard');
            }}
          >
            Discard
          </Button>
          <Button
            primary
            disabled={busy || wrong > 0}
            title={wrong > 0 ? `${wrong} things are wrong; Check lists them` : undefined}
            onClick={() => void go('../publish', { relative: 'path' })}
          >
            Publish…
          </Button>
        </>
      )}
    </div>
  );
}
