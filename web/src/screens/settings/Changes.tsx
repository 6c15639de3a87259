import { useState } from 'react';
import type { SettingChange } from '../../api/client';
import { useSettingChanges } from '../../api/queries';
import { Button } from '../../parts/Button';
import { INPUT } from '../../parts/inputs';
import { Empty, Failing, Loading } from '../../parts/States';

/** Every change of settings: who, when and what. Nothing can be taken out of it. */
export function Changes() {
  const [text, setText] = useState('');
  const changes = useSettingChanges(text.trim());
  const all = changes.data?.pages.flatMap((p) => p.changes) ?? [];
  return (
    <>
      <div className="mb-3 flex items-center gap-4">
        <input
          type="search"
          aria-label="Find a change by who, what or a word in it"
          placeholder="Find by who, what or a word in it"
          maxLength={200}
          className={`${INPUT} !w-80`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <p className="text-soft">
          Every change of settings. Nothing can be taken out of this list; secrets never come into it.
        </p>
      </div>
      {changes.isPending ? (
        <Loading what="the changes" />
      ) : changes.isError ? (
        <Failing error={changes.error} retry={() => void changes.refetch()} />
      ) : all.length === 0 ? (
        <Empty title={text ? 'No change has that in it.' : 'Nothing was changed yet.'}>
          Whoever changes a mirror, a connection, a person or a notice stands here, with what was sent.
        </Empty>
      ) : (
        <table className="w-full table-fixed border-y border-rule bg-sheet">
          <thead className="text-left text-sm text-soft">
            <tr className="border-b border-rule [&>th]:px-3 [&>th]:py-1.5 [&>th]:font-semibold">
              <th className="w-[170px]">When</th>
              <th className="w-[150px]">Who</th>
              <th className="w-[300px]">What</th>
              <th>As it was sent</th>
            </tr>
          </thead>
          <tbody>
            {all.map((c) => (
              <Line key={c.id} change={c} />
            ))}
          </tbody>
        </table>
      )}
      {changes.hasNextPage && (
        <p className="mt-3">
          <Button disabled={changes.isFetchingNextPage} onClick={() => void changes.fetchNextPage()}>
            Older ones
          </Button>
        </p>
      )}
    </>
  );
}

function Line({ change }: { change: SettingChange }) {
  const [open, setOpen] = useState(false);
  return (
    <tr className="border-b border-rule align-top last:border-b-0 [&>td]:px-3 [&>td]:py-1.5">
      <td className="whitespace-nowrap text-soft">{new Date(change.at).toLocaleString()}</td>
      <td>{change.who}</td>
      <td className="break-words">{change.what}</td>
      <td>
        {change.sent && (
          <button type="button" aria-expanded={open} className="block w-full text-left" onClick={() => setOpen(!open)}>
            <span
              className={`block font-mono text-[12px] leading-4 ${open ? 'break-all whitespace-pre-wrap' : 'truncate'}`}
            >
              {change.sent}
            </span>
          </button>
        )}
      </td>
    </tr>
  );
}
