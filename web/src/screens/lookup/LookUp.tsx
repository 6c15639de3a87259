import { useState } from 'react';
import { Link, useParams } from 'react-router';
import type { LookupPage } from '../../api/client';
import { useEndLookupKey, useLookup, useMakeLookupKey, useSaveLookup, useTryLookup } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Keep } from '../../parts/Keep';
import { INPUT, Captioned, NumberField, Tick } from '../../parts/inputs';
import { Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';

/** What others may look up in a mirror, by which keys; and what they would be answered. */
export function LookUp() {
  const { key = '' } = useParams();
  const page = useLookup(key);
  if (page.isPending)
    return (
      <div className="px-5 py-4">
        <Loading what="what others may look up" />
      </div>
    );
  if (page.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={page.error} retry={() => void page.refetch()} />
      </div>
    );
  const p = page.data;
  return (
    <div className="mx-auto max-w-[1240px] px-5 py-4">
      <h1 className="text-lg font-semibold">
        <Link to={`/mirrors/${key}`} className="text-soft underline hover:text-ink">
          {p.mirrorName}
        </Link>{' '}
        / Looked up from elsewhere
      </h1>
      <p className="mt-1 mb-4 max-w-[75ch] text-soft">
        A shop, a telephone system or a script asks for one record at a time, by the id that a system gives it or by a
        value, and gets what is agreed, or what one system holds at that moment. It only reads.
      </p>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-start gap-10">
        <div className="space-y-8">
          <Offer key={JSON.stringify(p.form)} page={p} />
          <Keys page={p} />
        </div>
        <TryIt page={p} />
      </div>
    </div>
  );
}

function Offer({ page }: { page: LookupPage }) {
  const [form, setForm] = useState(page.form);
  const save = useSaveLookup(page.mirror);
  const set = (some: Partial<typeof form>) => setForm({ ...form, ...some });
  return (
    <form
      aria-label="What is given"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(form);
      }}
    >
      <h2 className="mb-2 font-semibold">What is given</h2>
      <Tick on={form.isOn} set={(isOn) => set({ isOn })}>
        Others may look it up
      </Tick>
      <fieldset className="mt-3">
        <legend className="text-sm font-semibold text-soft">
          Fields that they get
          <button
            type="button"
            className="ml-3 font-normal text-action hover:underline"
            onClick={() => set({ fields: form.fields.length === page.fields.length ? [] : page.fields })}
          >
            {form.fields.length === page.fields.length ? 'none' : 'all'}
          </button>
        </legend>
        <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-1 border-y border-rule bg-sheet px-3 py-2">
          {page.fields.map((f) => (
            <Tick
              key={f}
              on={form.fields.includes(f)}
              set={(on) => set({ fields: on ? [...form.fields, f] : form.fields.filter((x) => x !== f) })}
            >
              {f}
            </Tick>
          ))}
        </div>
      </fieldset>
      <div className="mt-3 max-w-[260px]">
        <NumberField
          label="Times a minute, for each key"
          value={form.perMinute}
          set={(n) => set({ perMinute: n ?? 0 })}
        />
      </div>
      <Keep saved={save} disabled={JSON.stringify(form) === JSON.stringify(page.form)}>
        Keep it so
      </Keep>
    </form>
  );
}

function Keys({ page }: { page: LookupPage }) {
  const [name, setName] = useState('');
  const make = useMakeLookupKey(page.mirror);
  const end = useEndLookupKey(page.mirror);
  return (
    <section aria-label="Keys">
      <h2 className="mb-2 font-semibold">Keys</h2>
      {make.data && (
        <div role="status" className="mb-3 border-l-4 border-action bg-sheet px-4 py-3">
          <p>This is the key. It is shown this once, and kept nowhere.</p>
          <p className="mt-1 font-mono text-sm break-all select-all">{make.data.key}</p>
        </div>
      )}
      {page.keys.length === 0 ? (
        <p className="text-soft">No key yet: nobody gets in.</p>
      ) : (
        <ul className="border-y border-rule bg-sheet">
          {page.keys.map((k) => (
            <li key={k.id} className="flex items-baseline gap-3 border-b border-rule px-3 py-2 last:border-b-0">
              <span className="min-w-0 flex-1">
                <span className="block truncate font-semibold">{k.name}</span>
                <span className="text-sm text-soft">
                  made by {k.madeBy} <When at={k.madeAt} />,{' '}
                  {k.lastUsedAt ? (
                    <>
                      last used <When at={k.lastUsedAt} />
                    </>
                  ) : (
                    'never used'
                  )}
                </span>
              </span>
              <Button
                aria-label={`Take the key of ${k.name} away`}
                disabled={end.isPending}
                onClick={() => {
                  if (window.confirm(`Take the key of ${k.name} away? Whoever uses it gets in no more.`))
                    end.mutate(k.id);
                }}
              >
                Take it away
              </Button>
            </li>
          ))}
        </ul>
      )}
      <form
        className="mt-3 flex items-end gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate(name.trim(), { onSuccess: () => setName('') });
        }}
      >
        <div className="flex-1">
          <Captioned label="Who gets a new one, and what for">
            <input className={INPUT} maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />
          </Captioned>
        </div>
        <Button type="submit" disabled={!name.trim() || make.isPending}>
          Make a key
        </Button>
      </form>
      {(make.isError || end.isError) && <Notice>{(make.error ?? end.error)!.message}</Notice>}
    </section>
  );
}

/** Asks just as somebody with a key would. */
function TryIt({ page }: { page: LookupPage }) {
  const [by, setBy] = useState(page.sides[0]?.system ?? '');
  const [said, setSaid] = useState('');
  const [view, setView] = useState('agreed');
  const ask = useTryLookup(page.mirror);
  const isField = by.startsWith('field ');
  return (
    <section aria-label="Try it" className="border border-rule bg-sheet p-4">
      <h2 className="mb-2 font-semibold">Try it</h2>
      <form
        className="space-y-3"
        onSubmit={(e) => {
          e.preventDefault();
          ask.mutate(
            isField
              ? { field: by.slice(6), value: said.trim(), system: null, id: null, view }
              : { system: by, id: said.trim(), field: null, value: null, view },
          );
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          <Captioned label="Known of it is">
            <select className={INPUT} value={by} onChange={(e) => setBy(e.target.value)}>
              {page.sides.map((s) => (
                <option key={s.index} value={s.system}>
                  its id in {s.name}
                </option>
              ))}
              {page.knownBy.map((f) => (
                <option key={f} value={`field ${f}`}>
                  {f}
                </option>
              ))}
            </select>
          </Captioned>
          <Captioned label="Which is">
            <input className={INPUT} maxLength={400} value={said} onChange={(e) => setSaid(e.target.value)} />
          </Captioned>
        </div>
        <div className="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-3">
          <Captioned label="They get">
            <select className={INPUT} value={view} onChange={(e) => setView(e.target.value)}>
              <option value="agreed">what is agreed</option>
              {page.sides.map((s) => (
                <option key={s.index} value={s.system}>
                  what {s.name} holds at this moment
                </option>
              ))}
            </select>
          </Captioned>
          <Button primary type="submit" disabled={!said.trim() || ask.isPending}>
            {ask.isPending ? 'Asking…' : 'Ask'}
          </Button>
        </div>
      </form>
      {ask.isError && <Notice>{ask.error.message}</Notice>}
      {ask.data && (
        <div className="mt-4 space-y-3" aria-live="polite">
          <div>
            <h3 className="text-sm font-semibold text-soft">What they send</h3>
            <pre className="mt-1 border-y border-rule bg-ground px-3 py-2 text-sm break-all whitespace-pre-wrap">
              {ask.data.request}
            </pre>
          </div>
          <div>
            <h3 className="flex items-baseline text-sm font-semibold text-soft">
              What they get
              <span className="ml-auto font-normal">
                <span className={ask.data.status === 200 ? 'text-action' : 'text-refused'}>
                  {ask.data.status === 200 ? '= 200' : `× ${ask.data.status}`}
                </span>
                , {ask.data.milliseconds} ms
              </span>
            </h3>
            <pre
              tabIndex={0}
              aria-label="The answer"
              className="mt-1 max-h-[420px] overflow-auto border-y border-rule bg-ground px-3 py-2 text-sm whitespace-pre-wrap"
            >
              {ask.data.answer}
            </pre>
          </div>
        </div>
      )}
      <p className="mt-4 text-sm text-soft">
        The address is <code>{page.address}</code> on this site. Whoever has a key reads its OpenAPI document at{' '}
        <code>{page.address}/openapi.json</code>. What is changed beside counts here once it is kept.
      </p>
    </section>
  );
}
