import { Link } from 'react-router';
import type { RecordPage, RunPage } from '../../api/client';
import { useReadAgain, useRun } from '../../api/queries';
import { Button } from '../../parts/Button';
import { useKeys } from '../../parts/keys';
import { When } from '../../parts/When';

/** Reads the record on all of its sides now, and says what came of it. */
export function ReadAgain({ record: r }: { record: RecordPage }) {
  const read = useReadAgain(r.link);
  const oldest = r.members.flatMap((m) => m.seenAt ?? []).sort()[0];
  const begin = () => !read.isPending && read.mutate();
  useKeys([{ key: 'r', does: 'Read the record again now', act: begin }]);
  return (
    <span className="ml-auto flex items-baseline gap-3">
      <span role="status" className="text-soft">
        {read.isError && <span className="text-refused">{read.error.message}</span>}
        {read.isSuccess && <Came run={read.data.run} record={r} />}
        {read.isIdle && oldest !== undefined && (
          <span
            title={r.members
              .map((m) => (m.seenAt ? `${r.sides[m.side]?.name}: ${new Date(m.seenAt).toLocaleString()}` : ''))
              .filter(Boolean)
              .join('\n')}
          >
            last read <When at={oldest} />
          </span>
        )}
      </span>
      <Button keyHint="r" onClick={begin} disabled={read.isPending}>
        Read again now
      </Button>
    </span>
  );
}

/** What the run that read it has come to, for this record. */
function Came({ run, record }: { run: number; record: RecordPage }) {
  const { data } = useRun(run, null);
  const r = data?.run;
  const number = (
    <Link to={`/runs/${run}`} className="underline">
      run {run}
    </Link>
  );
  if (!r || r.state === 'running')
    return (
      <>
        Reading it in{' '}
        {record.members
          .filter((m) => m.id)
          .map((m) => record.sides[m.side]?.name)
          .join(', ')}
        … {number}
      </>
    );
  if (r.state !== 'finished')
    return (
      <>
        {number} {r.state}
        {r.reason && `: ${r.reason}`}
      </>
    );
  return (
    <>
      Read <When at={r.endedAt!} /> in {number}: {came(data, record.link)}.
    </>
  );
}

const OUTCOMES: Record<string, string> = {
  Created: 'it was created where it was missing',
  Updated: 'it was written',
  InConflict: 'it is in conflict',
  Held: 'it is held',
  Refused: 'a write of it was refused',
  Linked: 'it was linked',
};

/** In words, what a run came to for one record; others that waited for a run may have been looked at in it, too. */
export function came(page: { records: RunPage['records']; total: number }, link: string): string {
  const of = page.records.filter((x) => x.link === link);
  const said = of.flatMap((x) => OUTCOMES[x.outcome] ?? []);
  return said.length > 0
    ? said.join(', ')
    : page.total > page.records.length
      ? 'see there what came of it'
      : 'nothing had changed';
}
