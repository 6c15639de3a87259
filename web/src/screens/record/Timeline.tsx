import { Link } from 'react-router';
import type { Entry, Side } from '../../api/client';
import { Mark, type MarkName } from '../../parts/Mark';
import { SystemTile } from '../../parts/SystemTile';
import { clock } from '../../parts/When';

const MARKS: Record<string, MarkName> = {
  linked: 'linked',
  met: 'linked',
  agreed: 'agreed',
  superseded: 'unchanged',
  written: 'updated',
  created: 'created',
  removed: 'refused',
  conflictOpened: 'inConflict',
  conflictClosed: 'agreed',
  decided: 'agreed',
  held: 'held',
  released: 'agreed',
  refused: 'refused',
  undone: 'updated',
  leftScope: 'unchanged',
  cameBack: 'agreed',
  flagged: 'flagged',
  unflagged: 'agreed',
};

const WORDS: Record<string, string> = {
  conflictClosed: 'conflict closed',
  undone: 'decision undone',
  leftScope: 'followed no more',
  cameBack: 'followed again',
  unflagged: 'flagged no more',
};

/** What happened to a record, newest first: who, when, from, to, why. */
export function Timeline({ entries, sides }: { entries: Entry[]; sides: Side[] }) {
  if (entries.length === 0) return <p className="text-soft">Nothing has happened to it yet.</p>;
  return (
    <ol>
      {entries.map((e, i) => {
        const day = new Date(e.at).toDateString();
        const isNewDay = i === 0 || day !== new Date(entries[i - 1]!.at).toDateString();
        return (
          <li key={e.id}>
            {isNewDay && (
              <h3 className="mt-3 mb-1 text-sm font-semibold text-soft first:mt-0">
                {new Date(e.at).toLocaleDateString(undefined, { weekday: 'long', day: 'numeric', month: 'long' })}
              </h3>
            )}
            <div className="grid grid-cols-[20px_1fr_auto] gap-x-1.5 border-t border-rule py-2">
              <Mark of={MARKS[e.kind] ?? 'unchanged'} />
              <div className="min-w-0">
                <Story entry={e} sides={sides} />
              </div>
              <span className="text-sm text-soft">
                <time dateTime={e.at} title={new Date(e.at).toLocaleString()}>
                  {new Date(e.at).toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit' })}
                </time>
              </span>
            </div>
          </li>
        );
      })}
    </ol>
  );
}

function Story({ entry: e, sides }: { entry: Entry; sides: Side[] }) {
  const side = e.side === null ? null : sides[e.side];
  const system = side && (
    <span className="inline-flex items-center gap-1.5 align-bottom">
      <SystemTile of={side} />
    </span>
  );
  const run = e.run ? (
    <>
      {' · '}
      <Link to={`/runs/${e.run}`} className="underline decoration-dotted">
        run {e.run}
      </Link>
    </>
  ) : null;
  const change = <Change before={e.before} after={e.after} />;
  const soft = (text: React.ReactNode) => (
    <div className="text-sm text-soft">
      {text}
      {run}
    </div>
  );
  switch (e.kind) {
    case 'agreed':
      return (
        <>
          <div>
            <strong className="font-semibold">{e.field}</strong> agreed {system}
          </div>
          {change}
          {soft(
            <>
              {e.why}
              {e.who && `, ${e.who}`}
              {e.changedAt && <>, there at {clock(e.changedAt)}</>}
            </>,
          )}
        </>
      );
    case 'superseded':
      return (
        <>
          <div>
            <strong className="font-semibold">{e.field}</strong> of {system} {side?.name} gave way
          </div>
          {change}
          {soft(
            <>
              {e.why}
              {e.who && `, ${e.who}`}
            </>,
          )}
        </>
      );
    case 'written':
      return (
        <>
          <div>
            <strong className="font-semibold">{e.field}</strong> written to {system} {side?.name}
          </div>
          {change}
          {soft(e.why)}
        </>
      );
    case 'decided':
      return (
        <>
          <div>
            <strong className="font-semibold">{e.field ?? 'The removal'}</strong>, {e.who}{' '}
            <strong className="font-semibold">decided</strong>
          </div>
          {e.field && change}
          {soft(e.why.replace(/^decided: /, ''))}
        </>
      );
    case 'conflictOpened':
      return (
        <>
          <div className="text-conflict">
            <strong className="font-semibold">{e.field ?? 'The record'}</strong> in conflict
          </div>
          {soft(e.why)}
        </>
      );
    case 'created':
      return (
        <>
          <div>
            Created in {system} {side?.name}
          </div>
          {soft(e.why)}
        </>
      );
    case 'linked':
      return (
        <>
          <div>
            {system} {side?.name} linked
          </div>
          {soft(e.why)}
        </>
      );
    case 'met':
      return (
        <>
          <div>First agreed</div>
          {soft(e.why)}
        </>
      );
    default:
      return (
        <>
          <div>
            {e.field && <strong className="font-semibold">{e.field} </strong>}
            {WORDS[e.kind] ?? e.kind} {system}
          </div>
          {e.kind === 'undone' && change}
          {soft(e.why)}
        </>
      );
  }
}

function Change({ before, after }: { before: string | null; after: string | null }) {
  return (
    <div className="break-words">
      <s className="text-soft decoration-soft/60">{before || 'empty'}</s> → {after || 'empty'}
    </div>
  );
}
