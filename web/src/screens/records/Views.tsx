import { useState } from 'react';
import { Link } from 'react-router';
import { useKeepView, useRemoveView, useSavedViews } from '../../api/queries';

/** Searches that somebody keeps, each with a name: their own, at hand wherever they sign in. */
export function Views({ params }: { params: URLSearchParams }) {
  const views = useSavedViews().data ?? [];
  const keep = useKeepView();
  const remove = useRemoveView();
  const [name, setName] = useState<string | null>(null);
  const query = params.toString();
  const here = views.find((v) => v.query === query);
  return (
    <span className="flex flex-wrap items-baseline gap-2">
      {views.map((v) => (
        <Link
          key={v.id}
          to={`/records?${v.query}`}
          aria-current={v.query === query ? 'page' : undefined}
          className={`rounded border px-2 ${v.query === query ? 'border-rule bg-sheet font-semibold text-ink' : 'border-transparent hover:border-rule'}`}
        >
          {v.name}
        </Link>
      ))}
      {here ? (
        <button type="button" className="hover:underline" onClick={() => remove.mutate(here.id)}>
          Forget this view
        </button>
      ) : query === '' ? null : name === null ? (
        <button type="button" className="text-action hover:underline" onClick={() => setName('')}>
          Keep this view…
        </button>
      ) : (
        <form
          className="flex items-baseline gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            keep.mutate({ name, query }, { onSuccess: () => setName(null) });
          }}
        >
          <input
            autoFocus
            aria-label="A name for this view"
            maxLength={60}
            className="h-6 w-44 rounded border border-rule bg-sheet px-2"
            value={name}
            onChange={(e) => setName(e.target.value)}
            onKeyDown={(e) => e.key === 'Escape' && setName(null)}
          />
          <button type="submit" className="text-action hover:underline" disabled={name.trim() === ''}>
            Keep
          </button>
          {keep.isError && <span className="text-refused">{keep.error.message}</span>}
        </form>
      )}
    </span>
  );
}
