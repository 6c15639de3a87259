import type { DraftPage, RecordTried } from '../../../api/client';
import { useTriedRecord } from '../../../api/queries';
import { Failing, Loading } from '../../../parts/States';
import { SystemTile } from '../../../parts/SystemTile';

/** What each side would be sent for the sample record, as fields and as the real request. Nothing is sent. */
export function TryPanel({
  mirrorKey,
  page,
  at,
  find,
}: {
  mirrorKey: string;
  page: DraftPage;
  at: number;
  find: string;
}) {
  const tried = useTriedRecord(mirrorKey, at, find, page.step);
  return (
    <div>
      <h2 className="font-semibold">Try {page.sample ? page.sample.title : 'a record'}</h2>
      <p className="mt-1 text-sm text-soft">
        Worked out by this draft from what the systems say now. Nothing is sent and nothing is kept.
      </p>
      {tried.isPending && <Loading what="the record from every system" />}
      {tried.isError && <Failing error={tried.error} retry={() => void tried.refetch()} />}
      {tried.data && (
        <>
          {tried.data.conflicts.map((c) => (
            <p key={c} className="mt-2 border-l-4 border-conflict bg-conflict-tint px-3 py-1.5">
              <span aria-hidden="true">≠ </span>
              {c}
            </p>
          ))}
          {tried.data.sides.map((s) => (
            <OneSide key={s.side} tried={s} of={page.sides[s.side]!} />
          ))}
        </>
      )}
    </div>
  );
}

const KINDS: Record<string, string> = {
  create: '+ would be created',
  change: '~ would be updated',
  remove: '× would be removed',
  nothing: '= nothing to send',
};

function OneSide({ tried, of }: { tried: RecordTried['sides'][number]; of: DraftPage['sides'][number] }) {
  return (
    <section aria-label={of.name} className="mt-4">
      <h3 className="flex items-center gap-2 border-b border-rule pb-1">
        <SystemTile of={of} />
        <span className="font-semibold">{of.name}</span>
        {tried.recordId && <span className="text-sm text-soft">{tried.recordId}</span>}
        <span className="ml-auto">
          {tried.problems.length > 0 && tried.kind === 'nothing' ? '‖ would be held' : KINDS[tried.kind]}
        </span>
      </h3>
      {tried.problems.map((p) => (
        <p key={p} className="mt-1 border-l-4 border-held bg-held-tint px-2 py-1">
          {p}
        </p>
      ))}
      {tried.fields.length > 0 && (
        <table className="mt-1 w-full table-fixed text-sm">
          <thead className="text-left text-soft">
            <tr>
              <th className="w-[34%] font-semibold">Its field</th>
              {tried.kind === 'change' && <th className="font-semibold">Before</th>}
              <th className="font-semibold">{tried.kind === 'change' ? 'After' : 'Value'}</th>
            </tr>
          </thead>
          <tbody>
            {tried.fields.map((f) => (
              <tr key={f.path} className="border-t border-rule align-top" title={`${f.field}: ${f.why}`}>
                <td className="py-0.5 pr-1 break-words">{f.path}</td>
                {tried.kind === 'change' && <td className="pr-1 break-words text-soft">{f.before || 'empty'}</td>}
                <td className="break-words">{f.after || <span className="text-soft">empty</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {tried.request && (
        <details className="mt-1">
          <summary className="cursor-pointer font-semibold text-action">The real request</summary>
          <pre className="mt-1 overflow-auto bg-ground px-2 py-1.5 font-mono text-[12px] leading-5 break-all whitespace-pre-wrap">
            {[
              tried.request.line,
              ...tried.request.headers.map(([name, value]) => `${name}: ${value}`),
              ...(tried.request.body ? ['', tried.request.body] : []),
            ].join('\n')}
          </pre>
          <p className="text-sm text-soft">The sign-in is added when it is sent; it is not shown.</p>
        </details>
      )}
    </section>
  );
}
