import { useState } from 'react';
import { Link } from 'react-router';
import type { Session, System } from '../../api/client';
import { useFieldSearch, useSystems } from '../../api/queries';
import { Empty, Failing, Loading } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';
import { inWords, PROTOCOLS } from '../system/protocols';

export const STATE: Record<string, string> = { answering: 'text-action', slow: 'text-held', down: 'text-refused' };

/** Every system with how it answers, what it allows and what changed in it; a search over all their fields. */
export function Systems({ session }: { session: Session }) {
  const systems = useSystems();
  const [text, setText] = useState('');
  const found = useFieldSearch(text.trim());
  return (
    <div className="mx-auto max-w-[1240px] px-5 py-4">
      <div className="mb-3 flex items-center gap-4">
        <h1 className="text-lg font-semibold">Systems</h1>
        <input
          type="search"
          aria-label="Find a field in any system"
          placeholder="Find a field in any system"
          value={text}
          maxLength={200}
          onChange={(e) => setText(e.target.value)}
          className="ml-auto h-[30px] w-80 rounded border border-rule bg-sheet px-2.5 placeholder:text-soft"
        />
        {session.role === 'administrator' && (
          <Link
            to="/systems/new"
            className="inline-flex h-[30px] items-center rounded border border-action bg-action px-3 font-semibold text-on-action hover:opacity-90"
          >
            Add a system
          </Link>
        )}
      </div>
      {text.trim().length > 1 ? (
        <section aria-label="Fields found">
          {found.isPending && <Loading what="the fields" />}
          {found.isError && <Failing error={found.error} />}
          {found.data?.length === 0 && (
            <Empty title="No field is called so.">
              Fields are searched by their name, their label and their collection. Try a part of the word.
            </Empty>
          )}
          <ul className="border-t border-rule bg-sheet">
            {found.data?.map((f) => (
              <li key={`${f.system}/${f.collection}/${f.path}`} className="border-b border-rule">
                <Link
                  to={`/systems/${f.system}?collection=${encodeURIComponent(f.collection)}&field=${encodeURIComponent(f.path)}`}
                  className="grid grid-cols-[minmax(0,2fr)_minmax(0,2fr)_minmax(0,1fr)_minmax(0,1.5fr)] gap-3 px-3 py-2 hover:bg-ground"
                >
                  <span className="truncate font-semibold">{f.path}</span>
                  <span className="truncate text-soft">{f.label}</span>
                  <span className="truncate text-soft">{f.type}</span>
                  <span className="truncate">
                    {f.collection} · {f.systemName}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
          {found.data?.length === 100 && (
            <p className="mt-2 text-soft">The first 100 are shown: type more of the word.</p>
          )}
        </section>
      ) : (
        <>
          {systems.isPending && <Loading what="the systems" />}
          {systems.isError && <Failing error={systems.error} retry={() => void systems.refetch()} />}
          {systems.data?.length === 0 && (
            <Empty title="No system is connected yet.">
              A system is an application, a database or a folder that holds records. To connect the first one you need
              its address and a service account of its own.
            </Empty>
          )}
          {systems.data && systems.data.length > 0 && (
            <table className="w-full table-fixed border-t border-rule bg-sheet">
              <thead className="text-left text-sm text-soft">
                <tr className="border-b border-rule">
                  <th className="w-[36%] px-3 py-1.5 font-semibold">System</th>
                  <th className="w-[11%] px-2 font-semibold">State</th>
                  <th className="w-[13%] px-2 text-right font-semibold">Answers in</th>
                  <th className="w-[16%] px-2 font-semibold">Calls</th>
                  <th className="w-[13%] px-2 font-semibold">Holds</th>
                  <th className="w-[11%] px-2 font-semibold">Changed</th>
                </tr>
              </thead>
              <tbody>
                {systems.data.map((s) => (
                  <Row key={s.system} system={s} />
                ))}
              </tbody>
            </table>
          )}
        </>
      )}
    </div>
  );
}

function Row({ system: s }: { system: System }) {
  return (
    <tr className="border-b border-rule align-top">
      <td className="px-3 py-2.5">
        <div className="flex gap-2.5">
          <SystemTile of={s} />
          <div className="min-w-0">
            <Link to={`/systems/${s.system}`} className="font-semibold hover:underline">
              {s.name}
            </Link>
            <div className="truncate text-sm text-soft" title={s.address}>
              {PROTOCOLS[s.protocol]?.short ?? s.protocol} · {s.address.replace(/^https?:\/\//, '')}
            </div>
            {s.state === 'down' && s.lastFault && s.lastFaultAt && (
              <div className="mt-1 text-sm">
                <When at={s.lastFaultAt} />: {s.lastFault}
              </div>
            )}
          </div>
        </div>
      </td>
      <td className={`px-2 py-2.5 font-semibold ${STATE[s.state] ?? 'text-soft'}`}>
        {s.protocol === 'events' ? 'sends by itself' : s.state}
      </td>
      <td className="px-2 py-2.5 text-right">
        {s.milliseconds === null ? <span className="text-soft">–</span> : inWords(s.milliseconds)}
      </td>
      <td className="px-2 py-2.5">
        {s.calls.toLocaleString()}
        {s.failures > 0 && <span className="text-refused">, {s.failures.toLocaleString()} failed</span>}
        <div className="text-sm text-soft">{limits(s)}</div>
      </td>
      <td className="px-2 py-2.5">
        {s.fields > 0 ? `${s.fields.toLocaleString()} fields` : <span className="text-soft">not read yet</span>}
        {s.fields > 0 && (
          <div className="text-sm text-soft">
            {s.collections} {s.collections === 1 ? 'collection' : 'collections'}
          </div>
        )}
      </td>
      <td className="px-2 py-2.5">
        {s.changes > 0 ? (
          <Link to={`/systems/${s.system}/changes`} className="font-semibold text-held hover:underline">
            △ {s.changes} {s.changes === 1 ? 'change' : 'changes'}
          </Link>
        ) : (
          <span className="text-soft">nothing new</span>
        )}
      </td>
    </tr>
  );
}

/** What the system allows, and whether it is used less because it asked for it. */
export function limits(s: System) {
  const most = s.callsPerSecond === null ? null : `${s.callsPerSecond} a second`;
  const slower = s.pace !== null && s.callsPerSecond !== null && s.pace < s.callsPerSecond * 0.9;
  return [
    most && (slower ? `${s.pace!.toFixed(1)} of ${most} for now` : `at most ${most}`),
    `${s.callsAtOnce} at once`,
    s.turnedAway > 0 && `${s.turnedAway.toLocaleString()} turned away`,
  ]
    .filter(Boolean)
    .join(', ');
}
