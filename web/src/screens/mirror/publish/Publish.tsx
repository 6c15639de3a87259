import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { MirrorPage, Session, VersionShown } from '../../../api/client';
import { useComparison, useDraft, useGoBack, useMoveDraft, usePublish, useVersions } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { INPUT, Labelled } from '../../../parts/inputs';
import { Empty, Failing, Loading, Notice } from '../../../parts/States';
import { When } from '../../../parts/When';
import { Changes } from './Changes';

/** What the draft changes, what its rehearsal said, and why; then every version there was, and the way back to each. */
export function Publish({ page, session, check }: { page: MirrorPage; session: Session; check: () => void }) {
  const key = page.mirror.key;
  const [params, setParams] = useSearchParams();
  const draft = useDraft(key, 1, '');
  const versions = useVersions(key);
  if (versions.isPending || draft.isPending) return <Loading what="the versions" />;
  if (versions.isError) return <Failing error={versions.error} retry={() => void versions.refetch()} />;
  const shown = { from: Number(params.get('from')), to: Number(params.get('to')) };
  const compares = params.has('from') && params.has('to');
  const live = page.mirror.version;
  const step = draft.data?.step ?? 0;
  return (
    <>
      {!compares &&
        (draft.isError ? (
          <Failing error={draft.error} retry={() => void draft.refetch()} />
        ) : step === 0 ? (
          live === 0 ? (
            <Empty title="Nothing to publish yet.">Map some fields first; what they change stands here then.</Empty>
          ) : (
            <p className="border-y border-rule bg-sheet px-4 py-3">
              Nothing was changed since version {live}, which is {page.mirror.state}. An edit in any of the steps begins
              a draft; it is published here.
            </p>
          )
        ) : (
          <DraftToPublish key={step} page={page} session={session} check={check} />
        ))}
      {compares && (
        <section aria-label="Comparison">
          <div className="mb-2 flex items-center gap-3">
            <h2 className="font-semibold">
              {shown.from === 0 ? `Version ${shown.to}` : `Version ${shown.from} → version ${shown.to}`}
            </h2>
            <Button className="ml-auto" onClick={() => setParams({})}>
              Back to the draft
            </Button>
          </div>
          <Compared mirrorKey={key} from={shown.from} to={shown.to} />
        </section>
      )}
      {versions.data.length > 0 && (
        <VersionList
          mirrorKey={key}
          versions={versions.data}
          session={session}
          hasDraft={step > 0}
          compare={(from, to) => setParams({ from: String(from), to: String(to) })}
        />
      )}
    </>
  );
}

function DraftToPublish({ page, session, check }: { page: MirrorPage; session: Session; check: () => void }) {
  const { mirror } = page;
  const draft = useDraft(mirror.key, 1, '').data!;
  const publish = usePublish(mirror.key);
  const move = useMoveDraft(mirror.key);
  const [comment, setComment] = useState('');
  const comparison = useComparison(mirror.key, mirror.version, null);
  const wrong = draft.findings.filter((f) => f.isWrong);
  const rehearsal = comparison.data?.rehearsal;
  const next = mirror.version + 1;
  const may = session.role === 'administrator';
  return (
    <section aria-label="The draft">
      <h2 className="mb-2 font-semibold">
        {mirror.version === 0 ? 'What version 1 says' : `What version ${next} changes`}
        <span className="ml-2 font-normal text-soft">
          {draft.step} {draft.step === 1 ? 'edit' : 'edits'}, last by {draft.who} {draft.at && <When at={draft.at} />}
        </span>
      </h2>
      <Compared mirrorKey={mirror.key} from={mirror.version} to={null} />
      <div className="mt-4 border-y border-rule bg-sheet px-4 py-3">
        <p>
          {wrong.length > 0 ? (
            <>
              <span className="text-refused">
                × It can’t be published: {wrong[0]!.words}
                {wrong.length > 1 && ` And ${wrong.length - 1} more.`}
              </span>{' '}
              <button type="button" className="font-semibold text-action hover:underline" onClick={check}>
                See what is wrong
              </button>
            </>
          ) : rehearsal ? (
            <>
              <Link to={`/runs/${rehearsal.id}`} className="underline">
                Rehearsed <When at={rehearsal.endedAt ?? rehearsal.startedAt} />
              </Link>
              :{' '}
              {rehearsal.state === 'finished'
                ? `the next run would write ${rehearsal.counts.planned.toLocaleString()} times${rehearsal.counts.held > 0 ? `, and hold ${rehearsal.counts.held.toLocaleString()} records` : ''}.`
                : `${rehearsal.state}. ${rehearsal.reason ?? ''}`}
            </>
          ) : (
            <>
              <span className="text-held">‖ As it stands, the draft was not rehearsed.</span>{' '}
              <Link to={`/mirrors/${mirror.key}/rehearse`} className="font-semibold text-action hover:underline">
                Rehearse it first
              </Link>
            </>
          )}{' '}
          {comparison.data && !comparison.data.concerns && 'No record is looked at anew: only how it is run changes.'}
        </p>
        <div className="mt-3 flex items-end gap-2">
          <div className="flex-1">
            <Labelled label="Why, for those who read the list of versions">
              {(id) => (
                <input
                  id={id}
                  className={INPUT}
                  maxLength={2000}
                  value={comment}
                  onChange={(e) => setComment(e.target.value)}
                />
              )}
            </Labelled>
          </div>
          <Button
            disabled={!may || move.isPending}
            onClick={() => {
              if (window.confirm(`Throw away ${draft.step} edits? What is live stays as it is. This can't be undone.`))
                move.mutate('discard');
            }}
          >
            Discard
          </Button>
          <Button
            primary
            disabled={!may || wrong.length > 0 || publish.isPending}
            onClick={() => publish.mutate({ comment, step: draft.step })}
          >
            Publish version {next}
          </Button>
        </div>
      </div>
      {publish.isError && (
        <div className="mt-2">
          <Notice>{publish.error.message}</Notice>
        </div>
      )}
    </section>
  );
}

function Compared({ mirrorKey, from, to }: { mirrorKey: string; from: number; to: number | null }) {
  const comparison = useComparison(mirrorKey, from, to);
  if (comparison.isPending) return <Loading what="what is otherwise" />;
  if (comparison.isError) return <Failing error={comparison.error} retry={() => void comparison.refetch()} />;
  return <Changes comparison={comparison.data} />;
}

function VersionList({
  mirrorKey,
  versions,
  session,
  hasDraft,
  compare,
}: {
  mirrorKey: string;
  versions: VersionShown[];
  session: Session;
  hasDraft: boolean;
  compare: (from: number, to: number) => void;
}) {
  const back = useGoBack(mirrorKey);
  return (
    <section aria-label="Versions" className="mt-6">
      <h2 className="border-b border-rule py-1.5 font-semibold">Versions</h2>
      {back.isError && <Notice>{back.error.message}</Notice>}
      <ul className="bg-sheet">
        {versions.map((v, i) => (
          <li key={v.version} className="flex items-center gap-3 border-b border-rule px-2 py-1.5">
            <span className="w-28 shrink-0 font-semibold tabular-nums">
              Version {v.version}
              {v.isInForce && <span className="ml-1 font-normal text-action">now</span>}
            </span>
            <span className="min-w-0 flex-1 truncate" title={v.comment}>
              {v.comment || <span className="text-soft">no comment</span>}
            </span>
            <span className="shrink-0 text-soft">
              {v.who}, <When at={v.at} />
            </span>
            <span className="flex w-[300px] shrink-0 justify-end gap-2">
              <Button onClick={() => compare(versions[i + 1]?.version ?? 0, v.version)}>
                {versions[i + 1] ? 'What it changed' : 'What it said'}
              </Button>
              {!v.isInForce && session.role === 'administrator' && (
                <Button
                  disabled={back.isPending}
                  onClick={() => {
                    if (
                      !hasDraft ||
                      window.confirm(
                        `The draft becomes version ${v.version} again. Its edits can be undone one by one. Go on?`,
                      )
                    )
                      back.mutate(v.version);
                  }}
                >
                  Go back to it
                </Button>
              )}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
