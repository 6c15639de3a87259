import { useState } from 'react';
import { useCall, useCalls } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading } from '../../parts/States';
import { inWords } from './protocols';

/** The last calls to a system, with their timing and outcome; the bodies of one beside them. */
export function Calls({ systemKey, mayUnmask }: { systemKey: string; mayUnmask: boolean }) {
  const [trouble, setTrouble] = useState(false);
  const [open, setOpen] = useState<number | null>(null);
  const [personal, setPersonal] = useState(false);
  const calls = useCalls(systemKey, trouble);
  const call = useCall(systemKey, open, personal);
  if (calls.isPending) return <Loading what="the calls" />;
  if (calls.isError) return <Failing error={calls.error} retry={() => void calls.refetch()} />;
  return (
    <div className={open === null ? '' : 'grid grid-cols-[minmax(0,1fr)_minmax(0,460px)] items-start gap-5'}>
      <div className="min-w-0">
        <label className="mb-2 flex items-center gap-2">
          <input
            type="checkbox"
            checked={trouble}
            onChange={(e) => setTrouble(e.target.checked)}
            className="accent-action"
          />
          Only those that went wrong
        </label>
        {calls.data.length === 0 ? (
          <Empty title={trouble ? 'None of the last calls went wrong.' : 'It was not called yet.'}>
            The last calls stand here with how long they took and how they ended.
          </Empty>
        ) : (
          <table className="w-full table-fixed border-t border-rule bg-sheet">
            <thead className="text-left text-sm text-soft">
              <tr className="border-b border-rule">
                <th className="w-[116px] px-3 py-1.5 font-semibold">Time</th>
                <th className="px-2 font-semibold">Call</th>
                <th className="w-[90px] px-2 font-semibold">Answer</th>
                <th className="w-[84px] px-2 text-right font-semibold">Took</th>
              </tr>
            </thead>
            <tbody>
              {calls.data.map((c) => {
                const wrong = c.fault !== null || (c.status ?? 0) >= 400;
                return (
                  <tr key={c.id} className={`border-b border-rule ${open === c.id ? 'bg-ground' : ''}`}>
                    <td className="px-3 py-1.5 whitespace-nowrap text-soft">
                      <time dateTime={c.at} title={new Date(c.at).toLocaleString()}>
                        {new Date(c.at).toLocaleTimeString()}
                      </time>
                    </td>
                    <td className="px-2">
                      <button
                        type="button"
                        className="block w-full truncate text-left hover:underline"
                        onClick={() => setOpen(open === c.id ? null : c.id)}
                        aria-expanded={open === c.id}
                      >
                        <span className="font-semibold">{c.method}</span> {plain(c.address)}
                      </button>
                      {c.fault && <span className="block truncate text-sm text-refused">{c.fault}</span>}
                    </td>
                    <td className={`px-2 ${wrong ? 'font-semibold text-refused' : ''}`}>
                      {c.status ?? (c.fault ? '× none' : '= done')}
                    </td>
                    <td className="px-2 text-right">{inWords(c.milliseconds)}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
      </div>
      {open !== null && (
        <aside aria-label="One call" className="sticky top-4 border border-rule bg-sheet p-3">
          {call.isPending && <Loading what="the call" />}
          {call.isError && <Failing error={call.error} />}
          {call.data && (
            <>
              <h2 className="font-semibold break-words">
                {call.data.method} {plain(call.data.address)}
              </h2>
              <p className="text-sm text-soft">
                For {call.data.what} · {new Date(call.data.at).toLocaleString()} · {inWords(call.data.milliseconds)}
                {call.data.bytes > 0 && ` · ${call.data.bytes.toLocaleString()} bytes`}
              </p>
              {call.data.fault && <p className="mt-2 text-refused">{call.data.fault}</p>}
              <Body title="Sent" text={call.data.sent} />
              <Body title="Answered" text={call.data.answered} />
              <div className="mt-3 flex items-center gap-3">
                {mayUnmask && (
                  <Button onClick={() => setPersonal(!personal)}>
                    {personal ? 'Mask what is personal' : 'Show what is personal'}
                  </Button>
                )}
                <Button onClick={() => setOpen(null)}>Close</Button>
              </div>
              <p className="mt-2 text-sm text-soft">Secrets are never kept with a call. Long bodies are cut.</p>
            </>
          )}
        </aside>
      )}
    </div>
  );
}

function Body({ title, text }: { title: string; text: string | null }) {
  if (text === null || text === '') return null;
  return (
    <>
      <h3 className="mt-3 text-sm font-semibold text-soft">{title}</h3>
      <pre
        tabIndex={0}
        className="max-h-60 overflow-auto font-mono text-[12px] leading-4 break-words whitespace-pre-wrap"
      >
        {pretty(text)}
      </pre>
    </>
  );
}

function pretty(text: string) {
  try {
    return JSON.stringify(JSON.parse(text), null, 1);
  } catch {
    return text;
  }
}

function plain(address: string) {
  try {
    return decodeURIComponent(address);
  } catch {
    return address;
  }
}
