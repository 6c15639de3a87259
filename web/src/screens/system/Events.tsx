import { useState } from 'react';
import type { EventsShown } from '../../api/client';
import { useCloseEvents, useEvents, useOpenEvents } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';
import { INPUT, Labelled } from '../../parts/inputs';

const OUTCOMES: Record<string, [string, string]> = {
  taken: ['= taken', ''],
  again: ['= came again, no harm', 'text-soft'],
  refused: ['× refused: wrong signature', 'font-semibold text-refused'],
};

/** What a system tells of by itself: the address that it tells it to, and the last events that came. */
export function Events({ systemKey, name, isMine }: { systemKey: string; name: string; isMine: boolean }) {
  const events = useEvents(systemKey);
  const [opening, setOpening] = useState(false);
  if (events.isPending) return <Loading what="the events" />;
  if (events.isError) return <Failing error={events.error} retry={() => void events.refetch()} />;
  const shown = events.data;
  if (!shown.isOpen && !opening)
    return (
      <Empty title={`${name} tells of nothing by itself yet.`}>
        <p>
          Its changes are found by reading, each time a mirror runs. If it can send events when a record changes, it can
          tell at once: its mirrors then run within seconds, and the scheduled runs only make sure that nothing was
          missed.
        </p>
        {isMine ? (
          <p className="mt-3">
            <Button primary onClick={() => setOpening(true)}>
              Take its events
            </Button>
          </p>
        ) : (
          <p className="mt-2">An administrator can open an address for them.</p>
        )}
      </Empty>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,400px)] items-start gap-8">
      <div className="min-w-0">
        {shown.silence && (
          <div className="mb-3">
            <Notice>{shown.silence}</Notice>
          </div>
        )}
        <Last shown={shown} name={name} />
      </div>
      {isMine ? (
        <Address
          key={shown.path ?? ''}
          systemKey={systemKey}
          shown={shown}
          name={name}
          leave={() => setOpening(false)}
        />
      ) : (
        <p className="text-soft">Only an administrator sees the address that events are sent to.</p>
      )}
    </div>
  );
}

function Last({ shown, name }: { shown: EventsShown; name: string }) {
  if (shown.last.length === 0)
    return (
      <Empty title="None came yet.">Change a record in {name}: its event stands here a moment later, as it came.</Empty>
    );
  return (
    <table className="w-full table-fixed border-t border-rule bg-sheet">
      <thead className="text-left text-sm text-soft">
        <tr className="border-b border-rule">
          <th className="w-[104px] px-3 py-1.5 font-semibold">Came</th>
          <th className="px-2 font-semibold">What it said</th>
          <th className="w-[220px] px-2 font-semibold">What became of it</th>
        </tr>
      </thead>
      <tbody>
        {shown.last.map((e) => {
          const [words, look] = OUTCOMES[e.outcome] ?? [e.outcome, ''];
          return (
            <tr key={e.id} className="border-b border-rule align-top">
              <td className="px-3 py-1.5 whitespace-nowrap text-soft">
                <time dateTime={e.receivedAt} title={new Date(e.receivedAt).toLocaleString()}>
                  {new Date(e.receivedAt).toLocaleTimeString()}
                </time>
              </td>
              <td className="px-2 py-1.5">
                <span className="line-clamp-2 font-mono text-[12px] leading-4 break-all" title={e.body}>
                  {e.body || '(nothing)'}
                </span>
              </td>
              <td className="px-2 py-1.5">
                <span className={look}>{words}</span>
                {(e.lateSeconds ?? 0) >= 60 && (
                  <span className="block text-sm text-held">{late(e.lateSeconds!)} after it happened</span>
                )}
                {e.outcome === 'taken' && (
                  <span className="block text-sm text-soft">
                    {e.runAskedAt ? (
                      <>
                        mirrors run <When at={e.runAskedAt} />
                      </>
                    ) : (
                      'mirrors are about to run'
                    )}
                  </span>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

const late = (seconds: number) =>
  seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`;

function Address({
  systemKey,
  shown,
  name,
  leave,
}: {
  systemKey: string;
  shown: EventsShown;
  name: string;
  leave: () => void;
}) {
  const open = useOpenEvents(systemKey);
  const close = useCloseEvents(systemKey);
  const [signed, setSigned] = useState(!shown.isOpen || shown.signatureHeader !== null);
  const [header, setHeader] = useState(shown.signatureHeader ?? '');
  const [secret, setSecret] = useState('');
  const keep = (newAddress: boolean) =>
    open.mutate(
      { signatureHeader: signed ? header : null, secret: secret || null, newAddress },
      { onSuccess: () => setSecret('') },
    );
  return (
    <section aria-label="Where events are sent" className="sticky top-4 space-y-3">
      {shown.path && (
        <Labelled
          label={`Set this address in ${name}`}
          hint="Whoever knows it can make the mirrors run; nothing is taken from an event itself."
        >
          {(id) => (
            <div className="flex gap-2">
              <input
                id={id}
                className={`${INPUT} font-mono text-[12px]`}
                readOnly
                value={window.location.origin + shown.path}
                onFocus={(e) => e.target.select()}
              />
              <Button onClick={() => void navigator.clipboard.writeText(window.location.origin + shown.path)}>
                Copy
              </Button>
            </div>
          )}
        </Labelled>
      )}
      <label className="flex items-start gap-2">
        <input
          type="checkbox"
          checked={signed}
          onChange={(e) => setSigned(e.target.checked)}
          className="mt-1 accent-action"
        />
        <span>
          It signs its events
          <span className="block text-sm text-soft">With the HMAC-SHA256 of what it sends. Others are refused.</span>
        </span>
      </label>
      {signed && (
        <div className="grid grid-cols-2 gap-3">
          <Labelled label="Header of the signature">
            {(id) => (
              <input
                id={id}
                className={INPUT}
                value={header}
                placeholder="X-Signature"
                onChange={(e) => setHeader(e.target.value)}
              />
            )}
          </Labelled>
          <Labelled label="Signed with">
            {(id) => (
              <input
                id={id}
                type="password"
                autoComplete="off"
                className={INPUT}
                value={secret}
                placeholder={shown.hasSecret ? 'kept; type to replace it' : ''}
                onChange={(e) => setSecret(e.target.value)}
              />
            )}
          </Labelled>
        </div>
      )}
      {open.isError && <Notice>{open.error.message}</Notice>}
      <div className="flex flex-wrap gap-2">
        <Button
          primary={!shown.isOpen}
          disabled={open.isPending || (signed && header.trim() === '')}
          onClick={() => keep(false)}
        >
          {shown.isOpen ? 'Keep' : 'Open the address'}
        </Button>
        {shown.isOpen ? (
          <>
            <Button
              onClick={() => {
                if (window.confirm(`Open another address? ${name} has to be told of it; the old one stops working.`))
                  keep(true);
              }}
            >
              New address
            </Button>
            <Button
              onClick={() => {
                if (window.confirm(`Take no more events from ${name}? Its changes are still found by reading.`))
                  close.mutate(undefined, { onSuccess: leave });
              }}
            >
              Close it
            </Button>
          </>
        ) : (
          <Button onClick={leave}>Not now</Button>
        )}
      </div>
    </section>
  );
}
