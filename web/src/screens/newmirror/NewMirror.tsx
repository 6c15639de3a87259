import { useEffect, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { useBeginMirror, useCatalogue, useSystems, useTemplates } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { INPUT, Captioned, Tick } from '../../parts/inputs';

type ChosenSide = { system: string; collection: string; mayCreate: boolean };

const RECORD_TYPES: Record<string, string> = {
  customer: 'Customers',
  person: 'People',
  product: 'Products',
  order: 'Orders',
  invoice: 'Invoices',
};

/** The beginning of a mirror: which record type, and which collections of which systems share it. */
export function NewMirror() {
  const systems = useSystems();
  const begin = useBeginMirror();
  const go = useNavigate();
  const [recordType, setRecordType] = useState('customer');
  const [name, setName] = useState('Customers');
  const [sides, setSides] = useState<ChosenSide[]>([]);
  const change = (i: number, some: Partial<ChosenSide>) =>
    setSides(sides.map((s, n) => (n === i ? { ...s, ...some } : s)));
  const ready = name.trim() && recordType.trim() && sides.length > 1 && sides.every((s) => s.collection);
  return (
    <div className="mx-auto max-w-[880px] px-5 py-4">
      <h1 className="text-lg font-semibold">New mirror</h1>
      <p className="mt-1 mb-4 max-w-[75ch] text-soft">
        A mirror keeps one record type the same in two to five systems. It is a draft, and writes nothing, until you
        publish it.
      </p>
      {systems.isPending && <Loading what="the systems" />}
      {systems.isError && <Failing error={systems.error} retry={() => void systems.refetch()} />}
      {systems.data && systems.data.length < 2 && (
        <Empty title="A mirror needs two systems.">
          <Link to="/systems/new" className="underline">
            Add a system
          </Link>{' '}
          first.
        </Empty>
      )}
      {systems.data && systems.data.length > 1 && (
        <form
          className="space-y-5"
          onSubmit={(e) => {
            e.preventDefault();
            begin.mutate(
              { name: name.trim(), recordType: recordType.trim(), sides },
              { onSuccess: ({ key }) => void go(`/mirrors/${key}/fields`) },
            );
          }}
        >
          <div className="grid max-w-[560px] grid-cols-2 gap-3">
            <Captioned label="One record of it is a">
              <input
                className={INPUT}
                list="record-types"
                value={recordType}
                maxLength={40}
                onChange={(e) => {
                  const known = RECORD_TYPES[e.target.value];
                  if (known && (name === '' || Object.values(RECORD_TYPES).includes(name))) setName(known);
                  setRecordType(e.target.value);
                }}
              />
              <datalist id="record-types">
                {Object.keys(RECORD_TYPES).map((t) => (
                  <option key={t} value={t} />
                ))}
              </datalist>
            </Captioned>
            <Captioned label="The mirror is called">
              <input className={INPUT} value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
            </Captioned>
          </div>
          <fieldset>
            <legend className="font-semibold">Sides</legend>
            <p className="mb-2 text-sm text-soft">In the order in which they stand on every screen, left to right.</p>
            <ol className="border-y border-rule bg-sheet">
              {sides.map((s, i) => {
                const of = systems.data.find((x) => x.system === s.system)!;
                return (
                  <li
                    key={`${i} ${s.system}`}
                    className="grid grid-cols-[28px_150px_minmax(0,1fr)_minmax(0,1fr)_auto] items-center gap-3 border-b border-rule px-3 py-2.5 last:border-b-0"
                  >
                    <SystemTile of={of} />
                    <span className="font-semibold">{of.name}</span>
                    <CollectionChoice
                      system={s.system}
                      name={of.name}
                      value={s.collection}
                      hint={recordType}
                      choose={(collection) => change(i, { collection })}
                    />
                    {of.protocol === 'events' ? (
                      <span className="text-soft">gives only: it is never written to</span>
                    ) : (
                      <Tick on={s.mayCreate} set={(mayCreate) => change(i, { mayCreate })}>
                        create there what it lacks
                      </Tick>
                    )}
                    <span className="flex gap-1">
                      <Button
                        disabled={i === 0}
                        aria-label={`${of.name} further left`}
                        onClick={() => setSides(sides.map((x, n) => (n === i - 1 ? s : n === i ? sides[i - 1]! : x)))}
                      >
                        ↑
                      </Button>
                      <Button
                        aria-label={`Without ${of.name}`}
                        onClick={() => setSides(sides.filter((_, n) => n !== i))}
                      >
                        ×
                      </Button>
                    </span>
                  </li>
                );
              })}
              {sides.length === 0 && <li className="px-3 py-3 text-soft">No side yet: add two systems or more.</li>}
            </ol>
            {sides.length < 5 && (
              <div className="mt-2 flex flex-wrap items-center gap-2">
                <span className="text-soft">Add</span>
                {systems.data.map((s) => (
                  <Button
                    key={s.system}
                    aria-label={`Add ${s.name}`}
                    onClick={() =>
                      setSides([...sides, { system: s.system, collection: '', mayCreate: s.protocol !== 'events' }])
                    }
                  >
                    <SystemTile of={s} /> {s.name}
                  </Button>
                ))}
              </div>
            )}
          </fieldset>
          {begin.isError && <Notice>{begin.error.message}</Notice>}
          <div className="flex gap-2">
            <Button type="submit" primary disabled={!ready || begin.isPending}>
              {begin.isPending ? 'Beginning…' : 'Begin mapping'}
            </Button>
            <Link to="/mirrors" className="px-2 py-1 text-soft hover:underline">
              Not now
            </Link>
          </div>
        </form>
      )}
      {systems.data && systems.data.length > 1 && <BeginFrom />}
    </div>
  );
}

/** Mirrors that are ready, for whoever has systems like those that they were made for. */
function BeginFrom() {
  const templates = useTemplates();
  if (!templates.data?.length) return null;
  return (
    <section aria-label="Begin from one that is ready" className="mt-10">
      <h2 className="font-semibold">Or begin from one that is ready</h2>
      <p className="mb-2 text-sm text-soft">
        Fields, rules and code lists are there. You say which of your systems each side is, and see which fields it
        lacks.{' '}
        <Link to="/mirrors/file" className="underline">
          Or bring in a file
        </Link>{' '}
        of your own.
      </p>
      <ul className="border-y border-rule bg-sheet">
        {templates.data.map((t) => (
          <li
            key={t.key}
            className="grid grid-cols-[120px_minmax(0,1fr)_90px_120px] items-baseline gap-4 border-b border-rule px-3 py-2 last:border-b-0"
          >
            <span className="font-semibold">{t.name}</span>
            <span className={t.exists ? 'text-held' : 'truncate text-soft'}>
              {t.exists ? '△ a mirror of this name is here already' : t.systems.join(', ')}
            </span>
            <span className="text-right tabular-nums">{t.fields} fields</span>
            <Link
              to={`/mirrors/file?from=${t.key}`}
              aria-label={`Begin from ${t.name}`}
              className="text-right text-action hover:underline"
            >
              Begin from it
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The collections of a system; one whose name fits the record type is chosen by itself. */
function CollectionChoice({
  system,
  name,
  value,
  hint,
  choose,
}: {
  system: string;
  name: string;
  value: string;
  hint: string;
  choose: (collection: string) => void;
}) {
  const catalogue = useCatalogue(system);
  const likely = LIKELY[hint] ?? new RegExp(`^${hint.slice(0, 5).replace(/\W/g, '')}`, 'i');
  const best = catalogue.data?.find((c) => likely.test(c.name))?.name;
  useEffect(() => {
    if (value === '' && best) choose(best);
  }, [value, best, choose]);
  if (catalogue.isPending) return <span className="text-soft">Reading its catalogue…</span>;
  if (catalogue.isError || catalogue.data.length === 0)
    return (
      <span className="text-soft">
        Its catalogue was not read yet.{' '}
        <Link to={`/systems/${system}`} className="underline">
          Read it
        </Link>
      </span>
    );
  return (
    <select
      aria-label={`Collection of ${name}`}
      className={INPUT}
      value={value}
      onChange={(e) => choose(e.target.value)}
    >
      <option value="">which collection?</option>
      {[...catalogue.data]
        .sort((a, b) => Number(b.name === best) - Number(a.name === best))
        .map((c) => (
          <option key={c.name} value={c.name}>
            {c.name} ({c.fields.length} fields)
          </option>
        ))}
    </select>
  );
}

const LIKELY: Record<string, RegExp> = {
  customer: /custom|organi[sz]ation|compan|account|client/i,
  person: /person|people|contact/i,
  product: /product|item|article/i,
  order: /order|deal/i,
  invoice: /invoice/i,
};
