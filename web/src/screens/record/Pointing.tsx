import { useState } from 'react';
import { Link } from 'react-router';
import type { Pointed, PointingAt } from '../../api/client';
import { usePointing } from '../../api/queries';

/** What points at a record: a customer's orders and invoices, the newest first. */
export function Pointing({ link, pointing }: { link: string; pointing: PointingAt[] }) {
  if (pointing.length === 0) return null;
  return (
    <section aria-label="What is linked to it" className="mt-5">
      <h2 className="mb-1 font-semibold">What is linked to it</h2>
      <dl className="border-t border-rule">
        {pointing.map((p) => (
          <Group key={`${p.mirror} ${p.field}`} link={link} of={p} />
        ))}
      </dl>
    </section>
  );
}

function Group({ link, of }: { link: string; of: PointingAt }) {
  const [isOpen, setIsOpen] = useState(false);
  const more = usePointing(link, of.mirror, of.field, isOpen);
  const shown: Pointed[] = isOpen ? (more.data?.pages.flat() ?? of.records) : of.records;
  const left = of.count - shown.length;
  return (
    <div className="grid grid-cols-[178px_64px_minmax(0,1fr)] gap-x-3 border-b border-rule bg-sheet px-2.5 py-1.5">
      <dt>
        {of.mirrorName} <span className="text-sm text-soft">by their {of.field}</span>
      </dt>
      <dd className="text-right font-semibold">{of.count.toLocaleString()}</dd>
      <dd>
        <ul className="flex flex-wrap gap-x-4 gap-y-1">
          {shown.map((r) => (
            <li key={r.link}>
              <Link
                to={`/records/${r.link}`}
                className="underline decoration-soft/60 underline-offset-2 hover:decoration-ink"
              >
                {r.title}
              </Link>
            </li>
          ))}
          {left > 0 && (
            <li>
              <button
                type="button"
                disabled={more.isFetching}
                onClick={() => (isOpen ? void more.fetchNextPage() : setIsOpen(true))}
                className="font-semibold text-action hover:underline"
              >
                {more.isFetching ? 'Reading…' : `${left.toLocaleString()} more`}
              </button>
            </li>
          )}
        </ul>
        {more.isError && <p className="text-refused">{more.error.message}</p>}
      </dd>
    </div>
  );
}
