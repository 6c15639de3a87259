import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { Session, Side, UndoRehearsed } from '../../api/client';
import { useRehearsedUndo, useUndoRun } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';

type Undone = UndoRehearsed['records'][number];

/** What taking a run back would do, write by write, before it is done. */
export function Undo({ session }: { session: Session }) {
  const id = Number(useParams().id);
  const [params] = useSearchParams();
  const link = params.get('record');
  const go = useNavigate();
  const rehearsed = useRehearsedUndo(id, link);
  const undo = useUndoRun();
  if (rehearsed.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="what the run wrote" />
      </div>
    );
  if (rehearsed.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={rehearsed.error} retry={() => void rehearsed.refetch()} />
        <p className="mt-3 px-1">
          <Link to={`/runs/${id}`} className="text-action underline">
            Back to run {id}
          </Link>
        </p>
      </div>
    );
  const { run, sides, bySide, records, of, back, left } = rehearsed.data;
  const staying = records.filter((r) => r.left.length > 0);
  const going = records.filter((r) => r.writes.length > 0);
  return (
    <section aria-label="Undo" className="mx-auto flex h-full max-w-[1180px] flex-col px-5 pt-4">
      <h1 className="text-lg font-semibold">
        {link ? (
          <>
            Take back what run {id} did to {records[0]?.title ?? 'this record'}?
          </>
        ) : (
          <>
            Take back run {id} of {run.mirrorName}?
          </>
        )}
      </h1>
      {back === 0 ? (
        <div className="mt-3">
          <Empty title="Nothing of it can be taken back.">
            {left > 0 ? 'Everything that it wrote was changed since, and stays as it is.' : 'It wrote nothing.'}
          </Empty>
        </div>
      ) : (
        <>
          <ul className="mt-2 border-y border-rule bg-sheet py-1">
            {bySide.map((s) => (
              <li key={s.side} className="flex items-center gap-2 px-3 py-1">
                <SystemTile of={sides[s.side]!} />
                <span>
                  <strong className="font-semibold">{sides[s.side]!.name}:</strong> {inWords(s)}
                </span>
              </li>
            ))}
          </ul>
          <p className="mt-2 max-w-[95ch] text-soft">
            Nothing is written before you say so. What led to the run is still there and would lead to the same again:{' '}
            {back === 1 ? 'the record is' : `the ${back.toLocaleString()} records are`} therefore left alone afterwards,
            until you let {back === 1 ? 'it' : 'them'} go on.
          </p>
        </>
      )}
      <div className="mt-3 min-h-0 flex-1 overflow-auto">
        {staying.length > 0 && (
          <>
            <h2 className="border-b border-rule py-1.5 font-semibold">
              Stays as it is: changed since <span className="font-normal text-soft">{left.toLocaleString()}</span>
            </h2>
            <ul className="mb-4 bg-sheet">
              {staying.map((r) => (
                <li key={r.link} className="grid grid-cols-[280px_minmax(0,1fr)] gap-3 border-b border-rule px-3 py-2">
                  <Link to={`/records/${r.link}`} className="truncate font-semibold hover:underline" title={r.title}>
                    {r.title}
                  </Link>
                  <span className="text-held">{r.left.join(' ')}</span>
                </li>
              ))}
            </ul>
          </>
        )}
        {going.length > 0 && <GoesBack records={going} sides={sides} />}
        {of > records.length && (
          <p className="py-2 text-soft">
            The first {records.length} of {of.toLocaleString()} records are shown.
          </p>
        )}
      </div>
      <div className="flex items-center gap-2 border-t border-rule py-3">
        {undo.isError && <Notice>{undo.error.message}</Notice>}
        {back > 0 && (
          <Button
            primary
            disabled={session.role === 'reader' || undo.isPending}
            onClick={() =>
              undo.mutate(
                { id, link },
                { onSuccess: (done) => void go(done.run ? `/runs/${done.run}` : `/runs/${id}`) },
              )
            }
          >
            {link ? 'Take it back for this record' : `Take back run ${id}`}
          </Button>
        )}
        <Button onClick={() => void go(`/runs/${id}`)}>Leave it as it is</Button>
      </div>
    </section>
  );
}

function inWords(s: UndoRehearsed['bySide'][number]) {
  const some = (n: number, one: string, many: string) =>
    n === 0 ? [] : [`${n.toLocaleString()} ${n === 1 ? one : many}`];
  return [
    ...some(s.changed, 'record gets back what it held', 'records get back what they held'),
    ...some(s.removed, 'created record is removed', 'created records are removed'),
    ...some(s.createdAgain, 'removed record is created again', 'removed records are created again'),
  ].join(', ');
}

function GoesBack({ records, sides }: { records: Undone[]; sides: Side[] }) {
  return (
    <table className="w-full table-fixed border-b border-rule">
      <thead className="text-left text-sm text-soft">
        <tr className="[&>th]:px-3 [&>th]:py-1.5 [&>th]:font-semibold">
          <th className="w-[280px]">Record</th>
          <th className="w-[170px]">System</th>
          <th className="w-[190px]">Field</th>
          <th>Holds now</th>
          <th className="bg-spine text-spine-ink">Goes back to</th>
        </tr>
      </thead>
      <tbody className="bg-sheet">
        {records.flatMap((r) =>
          r.writes.flatMap((w, n) =>
            (w.kind === 'change' ? w.fields : [null]).map((f, m) => (
              <tr
                key={`${r.link}${n}${m}`}
                className="border-t border-rule [&>td]:truncate [&>td]:px-3 [&>td]:py-[7px]"
              >
                <td>
                  {n === 0 && m === 0 && (
                    <Link to={`/records/${r.link}`} className="font-semibold hover:underline" title={r.title}>
                      {r.title}
                    </Link>
                  )}
                </td>
                <td className="text-soft">
                  {m === 0 && (
                    <>
                      {sides[w.side]!.name} {w.recordId}
                    </>
                  )}
                </td>
                {f ? (
                  <>
                    <td>{f.field}</td>
                    <td title={f.now}>{f.now || <Nothing />}</td>
                    <td className="bg-spine text-spine-ink" title={f.back}>
                      {f.back || <Nothing />}
                    </td>
                  </>
                ) : (
                  <>
                    <td className="text-soft">the whole record</td>
                    <td>{w.kind === 'remove' ? 'created by the run' : 'removed by the run'}</td>
                    <td className="bg-spine text-spine-ink">{w.kind === 'remove' ? 'removed' : 'created again'}</td>
                  </>
                )}
              </tr>
            )),
          ),
        )}
      </tbody>
    </table>
  );
}

const Nothing = () => <span className="text-soft">empty</span>;
