import { useState } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import type { Check, ChecksPage, Flag, Session } from '../../api/client';
import { useChecks, useFlags, useLookAtCheck, useRemoveCheck, useSayFine } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Mark } from '../../parts/Mark';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';
import { CheckEditor } from './CheckEditor';
import { Says } from './Says';

/** Conditions that are looked at again and again over a mirror's records: what each flags, and what hangs on that. */
export function Checks({ session }: { session: Session }) {
  const { key = '' } = useParams();
  const [params, setParams] = useSearchParams();
  const page = useChecks(key);
  const [editing, setEditing] = useState<number | 'new' | null>(null);
  if (page.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="the follow-up checks" />
      </div>
    );
  if (page.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={page.error} retry={() => void page.refetch()} />
      </div>
    );
  const p = page.data;
  const chosen = p.checks.find((c) => c.id === Number(params.get('check'))) ?? p.checks[0];
  const mayChange = session.role === 'administrator';
  const edited = editing === 'new' ? null : p.checks.find((c) => c.id === editing);
  return (
    <div className="mx-auto max-w-[1240px] px-5 py-4">
      <div className="flex items-baseline gap-3">
        <h1 className="text-lg font-semibold">
          <Link to={`/mirrors/${key}`} className="text-soft underline hover:text-ink">
            {p.mirrorName}
          </Link>{' '}
          / Follow-up checks
        </h1>
        {mayChange && editing === null && (
          <span className="ml-auto">
            <Button primary onClick={() => setEditing('new')}>
              New check
            </Button>
          </span>
        )}
      </div>
      <p className="mt-1 mb-4 max-w-[75ch] text-soft">
        A check goes through every {p.recordType} that is linked and flags those for which its condition is true. It
        writes nothing; a field of the mirror can carry the flag.
      </p>
      {editing !== null ? (
        <CheckEditor
          key={editing}
          page={p}
          check={edited ?? null}
          close={(kept) => {
            setEditing(null);
            if (kept !== null) setParams({ check: String(kept) });
          }}
        />
      ) : chosen === undefined ? (
        <Empty title="No check yet.">
          Say what should not be, such as a {p.recordType} of whom two systems say different things in a field that is
          not kept the same, and everything like it stands here, with what hangs on it.
        </Empty>
      ) : (
        <div className="grid grid-cols-[300px_minmax(0,1fr)] items-start gap-8">
          <nav aria-label="Checks">
            <ul className="border-y border-rule bg-sheet">
              {p.checks.map((c) => (
                <li key={c.id} className="border-b border-rule last:border-b-0">
                  <Link
                    to={`?check=${c.id}`}
                    aria-current={c.id === chosen.id ? 'page' : undefined}
                    className={`flex items-baseline gap-2 px-3 py-2 ${c.id === chosen.id ? 'bg-spine font-semibold' : 'hover:bg-ground'}`}
                  >
                    <span className="min-w-0 flex-1 truncate">{c.form.name}</span>
                    <span className={c.flagged > 0 ? 'font-semibold text-held' : 'text-soft'}>
                      {c.problem ? '×' : c.flagged.toLocaleString()}
                    </span>
                  </Link>
                </li>
              ))}
            </ul>
          </nav>
          <OneCheck page={p} check={chosen} session={session} change={() => setEditing(chosen.id)} />
        </div>
      )}
    </div>
  );
}

function OneCheck({
  page,
  check,
  session,
  change,
}: {
  page: ChecksPage;
  check: Check;
  session: Session;
  change: () => void;
}) {
  const look = useLookAtCheck(page.mirror);
  const remove = useRemoveCheck(page.mirror);
  const flags = useFlags(page.mirror, check.id);
  const mayDecide = session.role !== 'reader';
  return (
    <section aria-label={check.form.name} className="min-w-0">
      <div className="flex items-start gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="text-lg font-semibold">{check.form.name}</h2>
          <p className="text-soft">
            Looked at {check.inWords}
            {check.lookedAt ? (
              <>
                , last <When at={check.lookedAt} /> over {check.looked.toLocaleString()}{' '}
                {check.looked === 1 ? 'record' : 'records'}
              </>
            ) : (
              ', not yet'
            )}
            {check.nextAt && (
              <>
                , next <When at={check.nextAt} past={false} />
              </>
            )}
            .
          </p>
        </div>
        {mayDecide && (
          <Button disabled={look.isPending} onClick={() => look.mutate(check.id)}>
            {look.isPending ? 'Looking…' : 'Look now'}
          </Button>
        )}
        {session.role === 'administrator' && (
          <>
            <Button onClick={change}>Change</Button>
            <Button
              disabled={remove.isPending}
              onClick={() => {
                if (window.confirm(`Take the check “${check.form.name}” away, with everything that it flags?`))
                  remove.mutate(check.id);
              }}
            >
              Take it away
            </Button>
          </>
        )}
      </div>
      <pre className="mt-2 border-y border-rule bg-ground px-3 py-2 text-sm break-words whitespace-pre-wrap">
        {check.form.condition}
      </pre>
      {check.problem && (
        <div className="mt-3">
          <Notice>It can’t be looked at as it is, and flags what it flagged before. {check.problem}</Notice>
        </div>
      )}
      {check.untold > 0 && (
        <p className="mt-3 text-soft">
          Of {check.untold.toLocaleString()} {check.untold === 1 ? 'record' : 'records'} it can’t be told. The first:{' '}
          {check.untoldWhy}
        </p>
      )}
      {(look.error ?? remove.error) && <Notice>{(look.error ?? remove.error)!.message}</Notice>}
      <h3 className="mt-4 mb-2 font-semibold">
        {check.flagged === 0 ? 'Nothing is flagged' : `${check.flagged.toLocaleString()} flagged`}
        {check.fine > 0 && (
          <span className="font-normal text-soft">, {check.fine.toLocaleString()} fine as they are</span>
        )}
      </h3>
      {flags.isPending && <Loading what="what it flags" />}
      {flags.isError && <Failing error={flags.error} retry={() => void flags.refetch()} />}
      {flags.data && flags.data.rows.length > 0 && (
        <ul className="border-y border-rule bg-sheet">
          {flags.data.rows.map((f) => (
            <Flagged key={f.link} flag={f} mayDecide={mayDecide} />
          ))}
        </ul>
      )}
      {flags.data && flags.data.rows.length < check.flagged + check.fine && (
        <p className="mt-2 text-soft">
          The first {flags.data.rows.length.toLocaleString()} are shown, those on which most hangs first.
        </p>
      )}
    </section>
  );
}

/** One flagged record; what hangs on it; and a person's word that it is fine. */
export function Flagged({ flag, mayDecide }: { flag: Flag; mayDecide: boolean }) {
  const say = useSayFine(flag.mirror);
  const rest = flag.hangingCount - flag.hanging.length;
  return (
    <li className="flex items-start gap-3 border-b border-rule px-3 py-2 last:border-b-0">
      {flag.fineBy ? <Mark of="agreed" /> : <Mark of="flagged" />}
      <div className="min-w-0 flex-1">
        <div className="flex items-baseline gap-3">
          <Link to={`/records/${flag.link}`} className="truncate font-semibold hover:underline">
            {flag.title}
          </Link>
          {flag.since && (
            <span className="shrink-0 text-sm text-soft">
              {flag.fineBy ? (
                <>
                  {flag.fineBy} says it is fine as it is, <When at={flag.fineAt!} />
                </>
              ) : (
                <>
                  since <When at={flag.since} />
                </>
              )}
            </span>
          )}
        </div>
        <p>
          <Says of={flag} />
        </p>
        {flag.hangingCount > 0 && (
          <p className="mt-0.5 text-sm">
            <span className="text-soft">
              {flag.hangingName}, {flag.hangingCount.toLocaleString()}:{' '}
            </span>
            {flag.hanging.map((h, i) => (
              <span key={h.link ?? i}>
                {i > 0 && ', '}
                {h.link ? (
                  <Link to={`/records/${h.link}`} className="underline">
                    {h.title}
                  </Link>
                ) : (
                  h.title
                )}
              </span>
            ))}
            {rest > 0 && <span className="text-soft"> and {rest.toLocaleString()} more</span>}
          </p>
        )}
        {say.error && <Notice>{say.error.message}</Notice>}
      </div>
      {mayDecide && flag.since && (
        <Button
          disabled={say.isPending}
          onClick={() => say.mutate({ check: flag.check, link: flag.link, isFine: !flag.fineBy })}
        >
          {flag.fineBy ? 'Flag it again' : 'Fine as it is'}
        </Button>
      )}
    </li>
  );
}
