import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { InboxEventShown, InboxShown } from '../../api/client';
import { useCloseInbox, useInboxes, useOpenInbox } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';
import { INPUT, Labelled } from '../../parts/inputs';

const OUTCOMES: Record<string, [string, string]> = {
  waiting: ['· waits its turn', 'text-soft'],
  taken: ['= taken', ''],
  older: ['= older than what was known', 'text-soft'],
  again: ['= came again, no harm', 'text-soft'],
  refused: ['× refused', 'font-semibold text-refused'],
};

/** The addresses that a system sends its records to, and what came there. */
export function Inboxes({ systemKey, name, isMine }: { systemKey: string; name: string; isMine: boolean }) {
  const inboxes = useInboxes(systemKey);
  const [search, setSearch] = useSearchParams();
  const [opening, setOpening] = useState(false);
  if (inboxes.isPending) return <Loading what="the events" />;
  if (inboxes.isError) return <Failing error={inboxes.error} retry={() => void inboxes.refetch()} />;
  const all = inboxes.data;
  const chosen = all.find((i) => i.collection === search.get('of')) ?? all[0];
  if (!chosen && !opening)
    return (
      <Empty title={`${name} has no address to send to yet.`}>
        <p>
          Open one for each kind of record that it sends. What it posts there stands here as it came; a mirror that has
          it as a side takes it over within a second.
        </p>
        {isMine ? (
          <p className="mt-3">
            <Button primary onClick={() => setOpening(true)}>
              Open an address
            </Button>
          </p>
        ) : (
          <p className="mt-2">An administrator can open one.</p>
        )}
      </Empty>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,400px)] items-start gap-8">
      <div className="min-w-0">
        <div role="group" aria-label="Addresses" className="mb-3 flex flex-wrap items-center gap-2">
          {all.map((i) => (
            <button
              key={i.collection}
              type="button"
              aria-pressed={!opening && i === chosen}
              onClick={() => {
                setOpening(false);
                setSearch({ of: i.collection }, { replace: true });
              }}
              className="h-[30px] rounded border border-rule px-3 aria-pressed:border-ink aria-pressed:bg-sheet aria-pressed:font-semibold"
            >
              {i.collection}
            </button>
          ))}
          {isMine && (
            <Button disabled={opening} onClick={() => setOpening(true)}>
              Open another
            </Button>
          )}
        </div>
        {opening ? (
          <p className="text-soft">
            Name what comes there, say who may send it, and what tells one record from another. The address is made when
            you open it.
          </p>
        ) : (
          chosen && <Came inbox={chosen} />
        )}
      </div>
      {isMine ? (
        <Address
          key={opening ? '' : chosen!.collection}
          systemKey={systemKey}
          name={name}
          inbox={opening ? null : chosen!}
          opened={(collection) => {
            setOpening(false);
            setSearch({ of: collection }, { replace: true });
          }}
          leave={all.length > 0 || opening ? () => setOpening(false) : undefined}
        />
      ) : (
        <p className="text-soft">Only an administrator sees the address that records are sent to.</p>
      )}
    </div>
  );
}

function Came({ inbox }: { inbox: InboxShown }) {
  const [open, setOpen] = useState<number | null>(null);
  return (
    <>
      <p className="mb-2 text-soft">
        <span className="tabular-nums">{inbox.records.toLocaleString()}</span>{' '}
        {inbox.records === 1 ? 'record is' : 'records are'} known by what came
        {inbox.waiting > 0 && (
          <>
            , <span className="tabular-nums">{inbox.waiting.toLocaleString()}</span> wait to be worked through
          </>
        )}
        . {inbox.usedBy.length > 0 ? `Taken over by ${inbox.usedBy.join(', ')}.` : 'No mirror takes them over yet.'}
      </p>
      {inbox.last.length === 0 ? (
        <Empty title="None came yet.">
          Send one: it stands here a moment later, as it came, and its fields are known.
        </Empty>
      ) : (
        <table className="w-full table-fixed border-t border-rule bg-sheet">
          <thead className="text-left text-sm text-soft">
            <tr className="border-b border-rule">
              <th className="w-[96px] px-3 py-1.5 font-semibold">Came</th>
              <th className="px-2 font-semibold">What it said</th>
              <th className="w-[220px] px-2 font-semibold">What became of it</th>
            </tr>
          </thead>
          <tbody>
            {inbox.last.map((e) => (
              <Event key={e.id} e={e} isOpen={open === e.id} toggle={() => setOpen(open === e.id ? null : e.id)} />
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Event({ e, isOpen, toggle }: { e: InboxEventShown; isOpen: boolean; toggle: () => void }) {
  const [words, look] = OUTCOMES[e.outcome] ?? [e.outcome, ''];
  const apart = Date.parse(e.receivedAt) - Date.parse(e.saidAt);
  return (
    <tr className="border-b border-rule align-top">
      <td className="px-3 py-1.5 whitespace-nowrap text-soft">
        <time dateTime={e.receivedAt} title={new Date(e.receivedAt).toLocaleString()}>
          {new Date(e.receivedAt).toLocaleTimeString()}
        </time>
      </td>
      <td className="px-2 py-1.5">
        {e.recordId && <span className="block font-semibold break-all">{e.recordId}</span>}
        {isOpen ? (
          <Fields body={e.body} />
        ) : (
          <span className="line-clamp-2 font-mono text-[12px] leading-4 break-all">{e.body || '(nothing)'}</span>
        )}
        <button type="button" aria-expanded={isOpen} className="text-sm text-action hover:underline" onClick={toggle}>
          {isOpen ? 'Less' : 'Field by field'}
        </button>
      </td>
      <td className="px-2 py-1.5">
        <span className={look}>{words}</span>
        {e.reason && <span className="block text-sm">{e.reason}</span>}
        <span className="block text-sm text-soft">
          {e.form !== 'unread' && e.form}
          {apart >= 60_000 && (
            <>
              , happened <When at={e.saidAt} />
            </>
          )}
        </span>
      </td>
    </tr>
  );
}

/** A record's fields as a mirror sees them: nested ones by their path. */
function Fields({ body }: { body: string }) {
  const rows = flat(body);
  if (!rows) return <pre className="font-mono text-[12px] leading-4 break-all whitespace-pre-wrap">{body}</pre>;
  return (
    <dl className="my-1 grid grid-cols-[max-content_minmax(0,1fr)] gap-x-4">
      {rows.map(([path, value]) => (
        <div key={path} className="contents">
          <dt className="text-soft">{path}</dt>
          <dd className="break-words">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

/** Null for what is no JSON object. */
export function flat(body: string): [string, string][] | null {
  const rows: [string, string][] = [];
  const into = (value: object, before: string) => {
    for (const [name, inner] of Object.entries(value) as [string, unknown][]) {
      if (inner !== null && typeof inner === 'object' && !Array.isArray(inner)) into(inner, `${before}${name}.`);
      else rows.push([before + name, typeof inner === 'string' ? inner : JSON.stringify(inner)]);
    }
  };
  try {
    const value: unknown = JSON.parse(body);
    if (value === null || typeof value !== 'object' || Array.isArray(value)) return null;
    into(value, '');
    return rows;
  } catch {
    return null;
  }
}

const ADMITS: [string, string][] = [
  ['key', 'Who has the key'],
  ['signed', 'Who signs (HMAC-SHA256)'],
  ['open', 'Anybody who knows the address'],
];

function Address({
  systemKey,
  name,
  inbox,
  opened,
  leave,
}: {
  systemKey: string;
  name: string;
  inbox: InboxShown | null;
  opened: (collection: string) => void;
  leave?: () => void;
}) {
  const open = useOpenInbox(systemKey);
  const close = useCloseInbox(systemKey);
  const [collection, setCollection] = useState(inbox?.collection ?? '');
  const [admits, setAdmits] = useState(inbox?.admits ?? 'key');
  const [header, setHeader] = useState(inbox ? (inbox.header ?? '') : 'X-Key');
  const [secret, setSecret] = useState('');
  const [idField, setIdField] = useState(inbox?.idField ?? '');
  const [recordField, setRecordField] = useState(inbox?.recordField ?? '');
  const [timeField, setTimeField] = useState(inbox?.timeField ?? '');
  const url = inbox?.path ? window.location.origin + inbox.path : null;
  const keep = (newAddress: boolean) =>
    open.mutate(
      {
        collection: collection.trim(),
        admits,
        header: header.trim() || null,
        secret: secret || null,
        idField,
        recordField: recordField || null,
        timeField: timeField || null,
        newAddress,
      },
      {
        onSuccess: () => {
          setSecret('');
          opened(collection.trim());
        },
      },
    );
  const text = (label: string, value: string, set: (text: string) => void, hint: string, placeholder = '') => (
    <Labelled label={label} hint={hint}>
      {(id) => (
        <input
          id={id}
          className={INPUT}
          value={value}
          placeholder={placeholder}
          spellCheck={false}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Labelled>
  );
  return (
    <section aria-label="Where records are sent" className="sticky top-4 space-y-3">
      {url ? (
        <Labelled
          label={`Set this address in ${name}`}
          hint="It posts JSON, a form, XML or CloudEvents there, up to 256 KB a call."
        >
          {(id) => (
            <div className="flex gap-2">
              <input
                id={id}
                className={`${INPUT} font-mono text-[12px]`}
                readOnly
                value={url}
                onFocus={(e) => e.target.select()}
              />
              <Button onClick={() => void navigator.clipboard.writeText(url)}>Copy</Button>
            </div>
          )}
        </Labelled>
      ) : (
        text('What comes there', collection, setCollection, 'Its collection: letters, digits and hyphens.', 'sign-ups')
      )}
      <Labelled label="Who may send">
        {(id) => (
          <select id={id} className={INPUT} value={admits} onChange={(e) => setAdmits(e.target.value)}>
            {ADMITS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Labelled>
      {admits !== 'open' && (
        <div className="grid grid-cols-2 gap-3">
          {text(
            admits === 'key' ? 'Header of the key' : 'Header of the signature',
            header,
            setHeader,
            admits === 'key' ? '' : 'Empty: webhook-signature, with its time.',
            admits === 'key' ? 'X-Key' : 'webhook-signature',
          )}
          <Labelled label={admits === 'key' ? 'Key' : 'Signed with'}>
            {(id) => (
              <input
                id={id}
                type="password"
                autoComplete="off"
                className={INPUT}
                value={secret}
                placeholder={inbox?.hasSecret ? 'kept; type to replace it' : ''}
                onChange={(e) => setSecret(e.target.value)}
              />
            )}
          </Labelled>
        </div>
      )}
      {text(
        'Records are told apart by',
        idField,
        setIdField,
        'A field that each has, such as its e-mail address or number.',
        'email',
      )}
      <div className="grid grid-cols-2 gap-3">
        {text('The record stands at', recordField, setRecordField, 'Empty: the event is the record.', 'payload.person')}
        {text(
          'When it happened',
          timeField,
          setTimeField,
          'Empty: looked for. An older one that comes late changes nothing.',
          'sentAt',
        )}
      </div>
      {open.isError && <Notice>{open.error.message}</Notice>}
      {close.isError && <Notice>{close.error.message}</Notice>}
      <div className="flex flex-wrap gap-2">
        <Button primary={!inbox} disabled={open.isPending} onClick={() => keep(false)}>
          {inbox ? 'Keep' : 'Open the address'}
        </Button>
        {inbox ? (
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
                if (window.confirm(`Close it, and forget what came there? What mirrors have taken over stays.`))
                  close.mutate(inbox.collection);
              }}
            >
              Close it
            </Button>
          </>
        ) : (
          leave && <Button onClick={leave}>Not now</Button>
        )}
      </div>
    </section>
  );
}
