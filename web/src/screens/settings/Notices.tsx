import { useState } from 'react';
import type { NoticePage, NoticeSent } from '../../api/client';
import { useMirrors, useNotices, useSendAgain, useSystems } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading } from '../../parts/States';
import { When } from '../../parts/When';
import { NoticeEditor } from './NoticeEditor';
import { inWords, type Known } from './notices';

/** Who is told of what, and what was told. */
export function Notices() {
  const page = useNotices();
  const mirrors = useMirrors().data ?? [];
  const systems = useSystems().data ?? [];
  const [chosen, setChosen] = useState<number | 'new' | null>(null);
  if (page.isPending) return <Loading what="the notices" />;
  if (page.isError) return <Failing error={page.error} retry={() => void page.refetch()} />;
  const known: Known = {
    mirror: (key) => mirrors.find((m) => m.key === key)?.name ?? key,
    system: (key) => systems.find((s) => s.system === key)?.name ?? key,
    sides: (key) => mirrors.find((m) => m.key === key)?.sides.map((s) => s.name) ?? [],
  };
  const open = page.data.rules.find((r) => r.id === chosen);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_460px] items-start gap-8">
      <div className="min-w-0">
        <Rules page={page.data} known={known} chosen={chosen} choose={setChosen} />
        <Told page={page.data} />
      </div>
      {(open || chosen === 'new') && (
        <NoticeEditor
          key={String(chosen)}
          rule={open ?? null}
          page={page.data}
          mirrors={mirrors}
          systems={systems}
          known={known}
          done={() => setChosen(null)}
        />
      )}
    </div>
  );
}

function Rules({
  page,
  known,
  chosen,
  choose,
}: {
  page: NoticePage;
  known: Known;
  chosen: number | 'new' | null;
  choose: (id: number | 'new') => void;
}) {
  return (
    <>
      {page.rules.length === 0 ? (
        <Empty title="Nobody is told of anything yet.">
          A notice goes out by mail, or by a call to an address, when a run fails, a queue grows old, a system is down,
          credentials end, or something chosen happens to a record.
        </Empty>
      ) : (
        <ul className="border-y border-rule bg-sheet">
          {page.rules.map((r) => (
            <li
              key={r.id}
              className={`border-b border-rule px-3 py-2 last:border-b-0 ${r.id === chosen ? 'bg-spine' : ''}`}
            >
              <div className="flex items-baseline justify-between gap-3">
                <button
                  type="button"
                  aria-pressed={r.id === chosen}
                  className="text-left font-semibold hover:underline"
                  onClick={() => choose(r.id)}
                >
                  {r.form.name}
                </button>
                <span className="text-sm whitespace-nowrap text-soft">
                  {!r.form.isOn ? (
                    '‖ off'
                  ) : r.lastSentAt ? (
                    <>
                      last told <When at={r.lastSentAt} />
                    </>
                  ) : (
                    'nothing told yet'
                  )}
                </span>
              </div>
              <p className="text-soft">{inWords(r.form, known)}</p>
              {r.fault && <p className="text-sm text-refused">× {r.fault}</p>}
            </li>
          ))}
        </ul>
      )}
      <p className="mt-3">
        <Button onClick={() => choose('new')}>Add a notice</Button>
      </p>
    </>
  );
}

/** What went out in one message stands in one line. */
function together(last: NoticeSent[]): NoticeSent[][] {
  return [
    ...Map.groupBy(last, (n) =>
      n.state === 'sent' ? `${n.rule} ${n.sentAt}` : `${n.rule} ${n.state} ${n.dueAt}`,
    ).values(),
  ];
}

function Told({ page }: { page: NoticePage }) {
  const again = useSendAgain();
  const failing = page.last.some((n) => n.state !== 'sent' && n.tries > 0);
  return (
    <section className="mt-6" aria-label="What was told">
      <div className="mb-2 flex items-baseline justify-between">
        <h2 className="text-lg font-semibold">What was told</h2>
        {failing && (
          <Button disabled={again.isPending} onClick={() => again.mutate(undefined)}>
            Send what failed again now
          </Button>
        )}
      </div>
      {page.last.length === 0 ? (
        <p className="text-soft">What goes out will stand here, with what could not be sent and why.</p>
      ) : (
        <table className="w-full table-fixed border-y border-rule bg-sheet">
          <thead className="text-left text-sm text-soft">
            <tr className="border-b border-rule [&>th]:px-3 [&>th]:py-1.5 [&>th]:font-semibold">
              <th className="w-[110px]">Happened</th>
              <th>What</th>
              <th className="w-[200px]">Sent</th>
            </tr>
          </thead>
          <tbody>
            {together(page.last).map(([n, ...others]) => (
              <tr
                key={`${n!.rule} ${n!.id}`}
                className="border-b border-rule align-top last:border-b-0 [&>td]:px-3 [&>td]:py-1.5"
              >
                <td className="text-soft">
                  <When at={n!.happenedAt} />
                </td>
                <td className="min-w-0">
                  <span className="block truncate" title={n!.text}>
                    {n!.subject}
                  </span>
                  <span className="block truncate text-sm text-soft">
                    {n!.ruleName}
                    {others.length > 0 && `, and ${others.length.toLocaleString()} more in one message`}
                  </span>
                </td>
                <td>
                  <Sent of={n!} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Sent({ of: n }: { of: NoticeSent }) {
  if (n.state === 'sent')
    return (
      <span className="text-soft">
        = <When at={n.sentAt!} />
      </span>
    );
  return (
    <>
      <span className={n.tries > 0 ? 'font-semibold text-refused' : ''}>
        {n.state === 'givenUp' ? (
          '× given up'
        ) : (
          <>
            {n.tries > 0 ? '× not yet; again ' : 'goes out '}
            <When at={n.dueAt} past={false} />
          </>
        )}
      </span>
      {n.fault && <span className="block text-sm break-words">{n.fault}</span>}
    </>
  );
}
