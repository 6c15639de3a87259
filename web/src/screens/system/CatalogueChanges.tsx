import { Link } from 'react-router';
import type { ChangeOfSystem } from '../../api/client';
import { useCatalogueChanges, useMarkSeen } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading } from '../../parts/States';
import { When } from '../../parts/When';

const WORDS: Record<ChangeOfSystem['kind'], [string, string]> = {
  collectionAppeared: ['+', 'collection appeared'],
  collectionVanished: ['−', 'collection vanished'],
  appeared: ['+', 'appeared'],
  vanished: ['−', 'vanished'],
  changedType: ['~', 'has another type'],
  changedLength: ['~', 'has another length'],
  changedNeed: ['~', 'is needed differently'],
  changedWriting: ['~', 'is written differently'],
  changedAllowed: ['~', 'takes other values'],
};

/** What appeared, vanished or changed in a system, with the mirrors that it touches. */
export function CatalogueChanges({ systemKey, mayMark }: { systemKey: string; mayMark: boolean }) {
  const changes = useCatalogueChanges(systemKey);
  const mark = useMarkSeen(systemKey);
  if (changes.isPending) return <Loading what="the changes" />;
  if (changes.isError) return <Failing error={changes.error} retry={() => void changes.refetch()} />;
  if (changes.data.length === 0)
    return (
      <Empty title="Nothing has changed since the catalogue was first read.">
        When a field appears, vanishes or changes its type or length, it stands here with the mirrors that it touches,
        before a run meets it. The catalogue is read every few hours, and whenever you ask for it.
      </Empty>
    );
  const unseen = changes.data.filter((c) => c.seenBy === null).length;
  return (
    <>
      <div className="mb-2 flex items-center justify-between">
        <p className="text-soft">{unseen === 0 ? 'All of them were looked at.' : `${unseen} not looked at yet.`}</p>
        {mayMark && unseen > 0 && (
          <Button onClick={() => mark.mutate()} disabled={mark.isPending}>
            I have seen them
          </Button>
        )}
      </div>
      <ul className="border-t border-rule bg-sheet">
        {changes.data.map((c) => {
          const [sign, word] = WORDS[c.kind];
          const trouble = c.mayBreak && c.touches.length > 0;
          return (
            <li
              key={c.id}
              className="grid grid-cols-[20px_minmax(0,2fr)_minmax(0,2fr)_minmax(0,2fr)_130px] gap-3 border-b border-rule px-3 py-2.5"
            >
              <span aria-hidden="true" className={`text-center font-semibold ${trouble ? 'text-held' : 'text-soft'}`}>
                {sign}
              </span>
              <span className="min-w-0">
                <span className={c.seenBy === null ? 'font-semibold' : ''}>{c.field ?? c.collection}</span> {word}
                <span className="block text-sm text-soft">{c.collection}</span>
              </span>
              <span className="min-w-0 break-words">
                {c.before !== null && <del className="text-soft">{c.before}</del>}
                {c.before !== null && c.after !== null && ' → '}
                {c.after}
              </span>
              <span>
                {c.touches.length === 0 ? (
                  <span className="text-soft">no mirror uses it</span>
                ) : (
                  c.touches.map((t) => (
                    <Link
                      key={t.mirrorKey + t.agreedField}
                      to={`/mirrors/${t.mirrorKey}/fields`}
                      className={`block hover:underline ${trouble ? 'font-semibold text-held' : ''}`}
                    >
                      {trouble && '△ '}
                      {t.mirror} · {t.agreedField}
                    </Link>
                  ))
                )}
              </span>
              <span className="text-right text-soft">
                <When at={c.at} />
                {c.seenBy && <span className="block text-sm">seen by {c.seenBy}</span>}
              </span>
            </li>
          );
        })}
      </ul>
    </>
  );
}
