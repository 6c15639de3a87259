import { useState } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import type { Field, Pointed, RecordPage, Session } from '../../api/client';
import { useRecord, useRecordFlags } from '../../api/queries';
import { Spine } from '../../parts/Spine';
import { Says } from '../checks/Says';
import { Failing, Loading } from '../../parts/States';
import { clock, When } from '../../parts/When';
import { lineRow, many } from './lines';
import { Pointing } from './Pointing';
import { ReadAgain } from './ReadAgain';
import { Regroup } from './Regroup';
import { Timeline } from './Timeline';

/** One record: what each side says, what is agreed and why, and everything that happened to it. */
export function RecordScreen({ session }: { session: Session }) {
  const { link = '' } = useParams();
  const [params] = useSearchParams();
  const record = useRecord(link);
  const [why, setWhy] = useState<string | null>(null);
  if (record.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="the record" />
      </div>
    );
  if (record.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={record.error} retry={() => void record.refetch()} />
      </div>
    );
  const r = record.data;
  const asked = r.fields.find((f) => f.name === why);
  return (
    <div className="flex min-h-full">
      <div className="min-w-0 flex-1 px-5 pt-3 pb-8">
        <div className="mb-2 flex items-baseline gap-3">
          <h1 className="text-lg font-semibold">{r.title}</h1>
          <span className="text-soft">
            {r.recordType}, known since {clock(r.linkedSince)}
            {r.waiting && ' · waits for the next run'}
          </span>
          {session.role === 'reader' ? (
            <span className="ml-auto text-sm text-soft">
              Personal values show their first letter only: you are a reader.
            </span>
          ) : (
            <ReadAgain key={r.link} record={r} />
          )}
        </div>
        <Flags link={r.link} />
        <RecordSpine record={r} onWhy={setWhy} why={why} />
        {asked?.agreed && <Why record={r} field={asked} close={() => setWhy(null)} />}
        <Pointing key={`pointing ${r.link}`} link={r.link} pointing={r.pointing} />
        <Regroup key={r.link} record={r} mayDecide={session.role !== 'reader'} finding={params.get('find') !== null} />
      </div>
      <aside aria-label="Timeline" className="w-[326px] shrink-0 border-l border-rule bg-sheet px-4 py-4">
        <h2 className="mb-2 font-semibold">Timeline</h2>
        <Timeline entries={r.timeline} sides={r.sides} />
      </aside>
    </div>
  );
}

/** The follow-up checks that flag the record. */
function Flags({ link }: { link: string }) {
  const flags = useRecordFlags(link);
  const standing = (flags.data?.rows ?? []).filter((f) => !f.fineBy);
  if (standing.length === 0) return null;
  return (
    <ul aria-label="Flagged by" className="mb-3 border-l-4 border-held bg-held-tint px-3 py-2">
      {standing.map((f) => (
        <li key={f.check}>
          <Link to={`/mirrors/${f.mirror}/checks?check=${f.check}`} className="font-semibold underline">
            {f.checkName}
          </Link>
          <span className="ml-2">
            <Says of={f} />
          </span>
          {f.hangingCount > 0 && (
            <span className="ml-2 text-soft">
              · {f.hangingName} that hang on it: {f.hangingCount.toLocaleString()}
            </span>
          )}
        </li>
      ))}
    </ul>
  );
}

/** A record on the spine: today's values, with what differs marked. */
export function RecordSpine({
  record: r,
  onWhy,
  why,
}: {
  record: RecordPage;
  onWhy?: (field: string) => void;
  why?: string | null;
}) {
  const inConflict = new Map(r.conflicts.flatMap((c) => c.fields.map((f) => [f, c.id] as const)));
  return (
    <Spine
      caption={`${r.title}: what each side says and what is agreed`}
      labelled
      sides={r.sides.map((side) => {
        const member = r.members[side.index];
        return {
          side,
          below: member?.id ? `${side.collection} / ${member.id}` : 'no record there',
        };
      })}
      title="Agreed record"
      titleBelow={`${r.fields.filter((f) => f.agreed?.value).length} of ${r.fields.length} fields filled`}
      rows={r.fields.flatMap((f) => {
        const conflict = inConflict.get(f.name);
        const row = {
          key: f.name,
          label: conflict ? (
            <Link to={`/conflicts/${conflict}`} className="font-semibold underline">
              ≠ {f.name}
            </Link>
          ) : (
            f.name
          ),
          group: f.lines?.length ? f.name : f.group,
          tone: conflict ? ('conflict' as const) : undefined,
          spine: f.points ? (
            <To of={f.points} />
          ) : f.agreed?.value ? (
            f.lines?.length ? (
              many(f.lines.filter((l) => l.agreed.length > 0).length, 'line')
            ) : (
              f.agreed.value
            )
          ) : (
            <span className="text-soft">
              {f.agreed ? 'empty' : f.cells.some((c) => c?.gives || c?.takes) ? 'not agreed yet' : 'only compared'}
            </span>
          ),
          spineBeside: f.agreed && onWhy && (
            <button
              type="button"
              aria-expanded={why === f.name}
              onClick={() => onWhy(f.name)}
              className="shrink-0 text-sm text-spine-ink underline decoration-dotted"
            >
              why?
            </button>
          ),
          cells: f.cells.map((c, side) =>
            c === null
              ? null
              : {
                  main: c.points ? (
                    <To of={c.points} />
                  ) : f.lines?.some((l) => l.cells[side]) ? (
                    many(f.lines.filter((l) => l.cells[side]).length, 'line')
                  ) : (
                    (c.raw ?? <span className="text-soft">empty</span>)
                  ),
                  below: c.points
                    ? c.raw
                    : c.raw && f.type === 'reference'
                      ? 'no linked record has this id'
                      : undefined,
                  gives: c.gives,
                  takes: c.takes,
                  differs: c.differs,
                },
          ),
        };
        return [row, ...(f.lines ?? []).map((l) => lineRow(f, l))];
      })}
    />
  );
}

/** A record that is pointed at. */
function To({ of }: { of: Pointed }) {
  return (
    <Link to={`/records/${of.link}`} className="underline decoration-soft/60 underline-offset-2 hover:decoration-ink">
      {of.title}
    </Link>
  );
}

function Why({ record, field, close }: { record: RecordPage; field: Field; close: () => void }) {
  const a = field.agreed!;
  return (
    <section aria-label={`Why ${field.name}`} className="mt-4 border-l-4 border-spine-ink bg-spine px-4 py-3">
      <div className="flex justify-between gap-4">
        <h2 className="font-semibold">
          {field.name}: {a.value || 'empty'}
        </h2>
        <button type="button" aria-label="Close" onClick={close} className="px-1">
          ×
        </button>
      </div>
      <p className="mt-1">
        {capital(a.why)}
        {a.side !== null && `. It came from ${record.sides[a.side]?.name}`}
        {a.who && `, where ${a.who} changed it`}
        {a.changedAt && (
          <>
            {' '}
            <When at={a.changedAt} />
          </>
        )}
        . Agreed <When at={a.at} />
        {a.run > 0 && (
          <>
            {' '}
            in{' '}
            <Link to={`/runs/${a.run}`} className="underline">
              run {a.run}
            </Link>
          </>
        )}
        .
      </p>
      <p className="mt-1 text-soft">{field.inPlainWords}</p>
    </section>
  );
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
