import { useState } from 'react';
import { Link } from 'react-router';
import type { MirrorPage, Session } from '../../../api/client';
import { useDraft, useRuns, useStartRun } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { INPUT } from '../../../parts/inputs';
import { Empty, Failing, Loading, Notice } from '../../../parts/States';
import { When } from '../../../parts/When';
import { Planned } from '../../run/Planned';

/** What a run would write, without writing anything: by the draft, or by what is live. */
export function Rehearse({ page, session }: { page: MirrorPage; session: Session }) {
  const { mirror } = page;
  const draft = useDraft(mirror.key, 1, '').data;
  const runs = useRuns(mirror.key);
  const start = useStartRun(mirror.key);
  const [of, setOf] = useState('all');
  const [text, setText] = useState('');
  if (runs.isPending) return <Loading what="the rehearsals" />;
  if (runs.isError) return <Failing error={runs.error} retry={() => void runs.refetch()} />;
  const isDraft = mirror.state === 'draft';
  const hasDraft = (draft?.step ?? 0) > 0 || isDraft;
  const wrong = draft?.findings.filter((f) => f.isWrong) ?? [];
  const going = runs.data.find((r) => r.state === 'running');
  const rehearsals = runs.data.filter((r) => r.rehearsal && r.state !== 'running');
  const last = rehearsals[0];
  const may = session.role !== 'reader';
  const begin = (ofDraft: boolean) =>
    start.mutate({
      rehearse: true,
      draft: ofDraft,
      ...(of === 'all' ? {} : of === 'found' ? { find: text.trim() } : { sample: Number(of) }),
    });
  const says = of !== 'found' || text.trim() !== '';
  const isOld = last && last.ofDraft && draft?.at && new Date(draft.at) > new Date(last.startedAt);
  return (
    <>
      <div className="mb-3 flex items-center gap-2 border-y border-rule bg-sheet px-4 py-3">
        <div className="min-w-0 flex-1">
          <p className="max-w-[70ch]">
            A rehearsal reads every system, decides everything as a run would, and writes nothing. What it tells is what
            a run writes, as long as nothing changes meanwhile.
          </p>
          <div className="mt-2 flex items-center gap-2">
            <select
              aria-label="Of which records"
              className={`${INPUT} max-w-[220px]`}
              value={of}
              onChange={(e) => setOf(e.target.value)}
            >
              <option value="all">of all records</option>
              <option value="20">of 20 records, at random</option>
              <option value="200">of 200 records, at random</option>
              <option value="found">of the record called…</option>
            </select>
            {of === 'found' && (
              <input
                aria-label="Its name or its id"
                placeholder="its name or its id"
                className={`${INPUT} max-w-[220px]`}
                maxLength={200}
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
            )}
          </div>
        </div>
        {hasDraft && (
          <Button
            primary
            disabled={!may || !!going || start.isPending || wrong.length > 0 || !says}
            onClick={() => begin(true)}
          >
            Rehearse the draft
          </Button>
        )}
        {!isDraft && (
          <Button
            primary={!hasDraft}
            disabled={!may || !!going || start.isPending || !says}
            onClick={() => begin(false)}
          >
            Rehearse version {mirror.version}
          </Button>
        )}
      </div>
      {hasDraft && wrong[0] && (
        <p className="mb-3 text-refused">
          × The draft can’t be rehearsed yet: {wrong[0].words}
          {wrong.length > 1 && ` And ${wrong.length - 1} more.`}
        </p>
      )}
      {start.isError && <Notice>{start.error.message}</Notice>}
      {going && (
        <p role="status" className="mb-3">
          <Link to={`/runs/${going.id}`} className="underline">
            {going.rehearsal ? 'A rehearsal' : 'A run'} is going on
          </Link>
          : {going.stage ?? 'starting'}, {going.counts.read.toLocaleString()} records read.
        </p>
      )}
      {!last ? (
        <Empty title="It was not rehearsed yet.">What a run would write stands here afterwards, line by line.</Empty>
      ) : (
        <>
          <p>
            <Link to={`/runs/${last.id}`} className="font-semibold underline">
              {last.ofDraft
                ? last.version
                  ? `The draft after version ${last.version}`
                  : 'The draft'
                : `Version ${last.version ?? mirror.version}`}
            </Link>
            {last.sampled != null && `, ${last.sampled.toLocaleString()} of its records`}, rehearsed{' '}
            <When at={last.endedAt ?? last.startedAt} /> by {last.startedBy}:{' '}
            {last.state === 'finished' ? (
              <>
                {last.counts.read.toLocaleString()} records read, {last.counts.planned.toLocaleString()}{' '}
                {last.counts.planned === 1 ? 'write' : 'writes'}
                {last.counts.held > 0 && (
                  <span className="font-semibold text-held">, {last.counts.held.toLocaleString()} would be held</span>
                )}
                .
              </>
            ) : (
              <span className="text-refused">{last.state}.</span>
            )}{' '}
            {isOld && <span className="text-held">The draft was edited since: rehearse it again.</span>}
          </p>
          {last.reason && <p className="mt-1 text-held">{last.reason}</p>}
          {last.state === 'finished' && <Planned run={last.id} title="What a run would write" />}
          {rehearsals.length > 1 && (
            <>
              <h2 className="mt-5 border-b border-rule py-1.5 font-semibold">Before</h2>
              <ul className="bg-sheet">
                {rehearsals.slice(1, 9).map((r) => (
                  <li key={r.id} className="flex gap-3 border-b border-rule px-2 py-1.5">
                    <Link to={`/runs/${r.id}`} className="w-56 hover:underline">
                      {r.ofDraft ? 'a draft' : `version ${r.version ?? '?'}`}, <When at={r.startedAt} />
                    </Link>
                    <span className="flex-1">
                      {r.state === 'finished' ? `${r.counts.planned.toLocaleString()} writes` : r.state}
                      {r.sampled != null && `, of ${r.sampled.toLocaleString()} records`}
                    </span>
                    <span className="text-soft">{r.startedBy}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </>
      )}
    </>
  );
}
