import { useState } from 'react';
import type { CollectionFound, CollectionSettings, Paging } from '../../api/client';
import { Labelled, Tick } from '../../parts/inputs';

const INPUT = 'h-7 w-full rounded border border-rule bg-sheet px-2';

const WAYS: [string, string, Paging][] = [
  ['whole', 'One answer holds everything', { kind: 'whole' }],
  ['cursor', 'A cursor in each page', { kind: 'cursor', parameter: 'cursor', next: 'nextCursor' }],
  ['offset', 'After a number of records', { kind: 'offset', parameter: 'offset' }],
  ['page', 'Page numbers', { kind: 'page', parameter: 'page', first: 1 }],
  ['nextLink', 'An address in each page', { kind: 'nextLink', property: 'next' }],
  ['linkHeader', 'The Link header', { kind: 'linkHeader' }],
  ['idRange', 'Ranges of ids', { kind: 'idRange', from: 'fromId', to: 'toId', highest: 'highestId', first: 1 }],
];

/** The collections of a description, with what had to be guessed about each, to be corrected where a guess is wrong. */
export function Collections({
  found,
  set,
  change,
  canBeSet,
  areFiles = false,
}: {
  found: CollectionFound[];
  set: Record<string, CollectionSettings>;
  change: (name: string, own: CollectionSettings | null) => void;
  /** Whether it is guessed how each is read, and may be corrected. */
  canBeSet: boolean;
  /** Of files, it can be said which rows are one record. */
  areFiles?: boolean;
}) {
  const [open, setOpen] = useState<string | null>(null);
  return (
    <section aria-label="Collections">
      <h3 className="font-semibold">
        {found.length} {found.length === 1 ? 'collection' : 'collections'}
      </h3>
      {canBeSet && (
        <p className="mb-1 text-sm text-soft">
          A description does not say everything: how each is read was guessed from names. The test tries it.
        </p>
      )}
      <ul className="border-t border-rule bg-sheet">
        {found.map((c) => {
          const own = set[c.name];
          const isOpen = open === c.name;
          return (
            <li key={c.name} className="border-b border-rule px-3 py-2">
              <button
                type="button"
                disabled={!canBeSet && !areFiles}
                aria-expanded={canBeSet || areFiles ? isOpen : undefined}
                onClick={() => setOpen(isOpen ? null : c.name)}
                className="flex w-full items-baseline justify-between gap-3 text-left"
              >
                <span className="font-semibold">{c.name}</span>
                <span className="text-sm text-soft">
                  {c.fields} fields
                  {areFiles &&
                    (own?.rowsBy ? ` · rows of one ${own.rowsBy} are one record` : ' · each row is a record')}
                  {canBeSet && (own ? ' · corrected by hand' : ` · ${c.guesses.length} guesses`)}
                </span>
              </button>
              {isOpen && areFiles && c.settings && (
                <RowsOfRecord found={c} own={own ?? c.settings} change={(next) => change(c.name, next)} />
              )}
              {isOpen && canBeSet && c.settings && (
                <Guesses found={c} own={own ?? null} change={(next) => change(c.name, next)} />
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** Whether several rows of a file are one record, such as a row for each line of an order. */
function RowsOfRecord({
  found,
  own,
  change,
}: {
  found: CollectionFound;
  own: CollectionSettings;
  change: (own: CollectionSettings) => void;
}) {
  const inLines = own.lineColumns ?? [];
  return (
    <div className="mt-2 space-y-2">
      <Labelled
        label="Rows are one record that say the same in"
        hint="Such as a file with a row for each line of an order. The rows of one record stand one after another."
      >
        {(id) => (
          <select
            id={id}
            className={INPUT}
            value={own.rowsBy ?? ''}
            onChange={(e) => change({ ...own, rowsBy: e.target.value || null, lineColumns: null })}
          >
            <option value="">nothing: each row is a record</option>
            {found.columns.map((c) => (
              <option key={c}>{c}</option>
            ))}
          </select>
        )}
      </Labelled>
      {own.rowsBy && (
        <fieldset>
          <legend className="text-sm font-semibold text-soft">
            These belong to each line, the others to the record
          </legend>
          <div className="grid grid-cols-3 gap-x-3">
            {found.columns
              .filter((c) => c !== own.rowsBy)
              .map((c) => (
                <Tick
                  key={c}
                  on={inLines.includes(c)}
                  set={(on) =>
                    change({ ...own, lineColumns: on ? [...inLines, c] : inLines.filter((other) => other !== c) })
                  }
                >
                  {c}
                </Tick>
              ))}
          </div>
          {inLines.length === 0 && (
            <p className="text-sm text-soft">With none of them chosen, all belong to the lines.</p>
          )}
        </fieldset>
      )}
    </div>
  );
}

function Guesses({
  found,
  own,
  change,
}: {
  found: CollectionFound;
  own: CollectionSettings | null;
  change: (own: CollectionSettings | null) => void;
}) {
  if (own === null)
    return (
      <div className="mt-2">
        <dl className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_minmax(0,1.4fr)] gap-x-3 gap-y-1">
          {found.guesses.map((g) => (
            <div key={`${g.what}${g.value}`} className="contents">
              <dt>{g.what}</dt>
              <dd className="font-semibold break-words">{g.value}</dd>
              <dd className="text-sm text-soft">{g.why}</dd>
            </div>
          ))}
        </dl>
        <button
          type="button"
          className="mt-2 font-semibold text-action hover:underline"
          onClick={() => change(found.settings!)}
        >
          Correct by hand
        </button>
      </div>
    );
  const text = (
    label: string,
    key:
      | 'path'
      | 'items'
      | 'id'
      | 'changedAt'
      | 'changedBy'
      | 'versionTag'
      | 'reference'
      | 'changedSinceParameter'
      | 'pageSizeParameter',
  ) => (
    <Labelled label={label}>
      {(id) => (
        <input
          id={id}
          className={INPUT}
          value={own[key] ?? ''}
          onChange={(e) => change({ ...own, [key]: e.target.value || (key === 'id' ? '' : null) })}
        />
      )}
    </Labelled>
  );
  const paging = own.paging ?? { kind: 'whole' as const };
  return (
    <div className="mt-2 space-y-2 text-sm">
      <div className="grid grid-cols-3 gap-2">
        {text('Path', 'path')}
        {text('List in a page', 'items')}
        {text("A record's id", 'id')}
        {text('When it changed', 'changedAt')}
        {text('Who changed it', 'changedBy')}
        {text('Its version', 'versionTag')}
        {text('Changed since', 'changedSinceParameter')}
        {text('Our reference', 'reference')}
        {text('Records of a page', 'pageSizeParameter')}
      </div>
      <div className="grid grid-cols-3 gap-2">
        <Labelled label="Pages go on by">
          {(id) => (
            <select
              id={id}
              className={INPUT}
              value={paging.kind}
              onChange={(e) => change({ ...own, paging: WAYS.find((w) => w[0] === e.target.value)![2] })}
            >
              {WAYS.map(([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ))}
            </select>
          )}
        </Labelled>
        {Object.entries(paging)
          .filter(([key]) => key !== 'kind')
          .map(([key, value]) => (
            <Labelled key={key} label={`Its ${key}`}>
              {(id) => (
                <input
                  id={id}
                  className={INPUT}
                  value={value === null || value === undefined ? '' : String(value)}
                  onChange={(e) =>
                    change({
                      ...own,
                      paging: {
                        ...paging,
                        [key]: key === 'first' ? Number(e.target.value.replace(/\D/g, '') || 0) : e.target.value,
                      } as Paging,
                    })
                  }
                />
              )}
            </Labelled>
          ))}
      </div>
      <button type="button" className="font-semibold text-action hover:underline" onClick={() => change(null)}>
        Back to what was guessed
      </button>
    </div>
  );
}
