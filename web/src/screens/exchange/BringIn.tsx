import { useEffect, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import type { FileShown, SystemToMatch } from '../../api/client';
import { useBringIn, useLookAtFile, useTemplate } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { INPUT } from '../../parts/inputs';
import { PROTOCOLS } from '../system/protocols';

/** Mirrors of a file, brought into this workspace: what is wrong with it by line, and which connection each of its systems is here. */
export function BringIn() {
  const look = useLookAtFile();
  const bring = useBringIn();
  const go = useNavigate();
  const [text, setText] = useState('');
  const [name, setName] = useState<string | null>(null);
  const [chosen, setChosen] = useState<Record<string, string>>({});
  const [names, setNames] = useState<Record<string, string>>({});
  const file = look.data;
  const [search] = useSearchParams();
  const template = useTemplate(search.get('from'));
  const lookAt = (read: string, called: string) => {
    setText(read);
    setName(called);
    setChosen({});
    setNames({});
    bring.reset();
    look.mutate(read, {
      onSuccess: (shown) =>
        setChosen(Object.fromEntries(shown.systems.filter((s) => s.guess).map((s) => [s.key, s.guess!]))),
    });
  };
  const open = (picked: File) => void picked.text().then((read) => lookAt(read, picked.name));
  useEffect(() => {
    if (template.data) lookAt(template.data, `${search.get('from')}.yaml, which ships with the product`);
    // Once, when it is there.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [template.data]);
  const ready =
    file &&
    file.problems.length === 0 &&
    file.systems.every((s) => chosen[s.key] !== undefined) &&
    file.mirrors.every((m) => !m.exists || names[m.key]?.trim());
  return (
    <div className="mx-auto max-w-[880px] px-5 py-4">
      <h1 className="text-lg font-semibold">
        <Link to="/mirrors" className="text-soft underline hover:text-ink">
          Mirrors
        </Link>{' '}
        / Bring in a file
      </h1>
      <p className="mt-1 mb-4 max-w-[75ch] text-soft">
        Mirrors that were taken out of this workspace or another: what they say, and the code lists that they use. They
        come in as drafts and write nothing until you publish them. The file holds no secrets and no records.
      </p>
      <label className="inline-flex h-[30px] cursor-pointer items-center rounded border border-rule bg-sheet px-3 font-semibold focus-within:outline-2 focus-within:outline-action">
        {name ? 'Another file' : 'Choose a file'}
        <input
          type="file"
          accept=".yaml,.yml"
          className="sr-only"
          onChange={(e) => {
            const picked = e.target.files?.[0];
            if (picked) open(picked);
            e.target.value = '';
          }}
        />
      </label>
      {name && <span className="ml-3">{name}</span>}
      {template.isError && (
        <div className="mt-4">
          <Notice>{template.error.message}</Notice>
        </div>
      )}
      {look.isPending && (
        <p role="status" className="mt-4 text-soft">
          Reading the file…
        </p>
      )}
      {look.isError && (
        <div className="mt-4">
          <Notice>{look.error.message}</Notice>
        </div>
      )}
      {file && file.problems.length > 0 && <Problems file={file} />}
      {file && file.problems.length === 0 && (
        <form
          className="mt-5 space-y-5"
          onSubmit={(e) => {
            e.preventDefault();
            bring.mutate(
              { text, systems: chosen, names },
              { onSuccess: ({ mirrors }) => void go(mirrors.length === 1 ? `/mirrors/${mirrors[0]}` : '/mirrors') },
            );
          }}
        >
          <section aria-label="What is in it">
            <h2 className="mb-1 font-semibold">What is in it</h2>
            <ul className="border-y border-rule bg-sheet">
              {file.mirrors.map((m) => (
                <li
                  key={m.key}
                  className="grid grid-cols-[minmax(0,1fr)_minmax(0,2fr)_90px] gap-4 border-b border-rule px-3 py-2 last:border-b-0"
                >
                  <span className="font-semibold">{m.name}</span>
                  <span className="text-soft">
                    {m.sides.join(', ')}
                    {m.exists && (
                      <label className="mt-1 block text-held">
                        △ A mirror of this name is here already. This one is called here{' '}
                        <input
                          className={`${INPUT} mt-1 max-w-[280px] text-ink`}
                          maxLength={60}
                          value={names[m.key] ?? ''}
                          onChange={(e) => setNames({ ...names, [m.key]: e.target.value })}
                        />
                      </label>
                    )}
                  </span>
                  <span className="text-right tabular-nums">{m.fields} fields</span>
                </li>
              ))}
            </ul>
            {file.codeLists.length > 0 && (
              <p className="mt-1 text-sm text-soft">With the code lists {file.codeLists.join(', ')}.</p>
            )}
          </section>
          <section aria-label="Its systems">
            <h2 className="font-semibold">Which connection is each of its systems here?</h2>
            <p className="mb-1 text-sm text-soft">
              Filled in is what a system looks like by how it is reached and what it holds. Names say nothing.
            </p>
            <ul className="border-y border-rule bg-sheet">
              {file.systems.map((s) => (
                <System
                  key={s.key}
                  of={s}
                  chosen={chosen[s.key]}
                  choose={(system) => setChosen({ ...chosen, [s.key]: system })}
                />
              ))}
            </ul>
          </section>
          {bring.isError && <Notice>{bring.error.message}</Notice>}
          <div className="flex gap-2">
            <Button type="submit" primary disabled={!ready || bring.isPending}>
              {bring.isPending ? 'Bringing in…' : 'Bring in as drafts'}
            </Button>
            <Link to="/mirrors" className="px-2 py-1 text-soft hover:underline">
              Not now
            </Link>
          </div>
        </form>
      )}
    </div>
  );
}

function Problems({ file }: { file: FileShown }) {
  return (
    <section aria-label="What is wrong" role="alert" className="mt-5">
      <h2 className="mb-1 font-semibold text-refused">
        × {file.problems.length === 1 ? 'One thing is' : `${file.problems.length} things are`} wrong with it. Nothing
        was brought in.
      </h2>
      <ol className="border-y border-rule bg-sheet">
        {file.problems.map((p, n) => (
          <li
            key={n}
            className="grid grid-cols-[90px_minmax(0,1fr)] gap-3 border-b border-rule px-3 py-1.5 last:border-b-0"
          >
            <span className="text-right text-soft tabular-nums">{p.line ? `line ${p.line}` : ''}</span>
            <span>{p.words}</span>
          </li>
        ))}
      </ol>
    </section>
  );
}

function System({
  of: s,
  chosen,
  choose,
}: {
  of: SystemToMatch;
  /** Empty where its sides are left out; undefined while nobody said. */
  chosen: string | undefined;
  choose: (system: string) => void;
}) {
  const is = s.candidates.find((c) => c.system === chosen);
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)] gap-4 border-b border-rule px-3 py-2.5 last:border-b-0">
      <span>
        <span className="block font-semibold">{s.name}</span>
        <span className="text-sm text-soft">
          by {PROTOCOLS[s.protocol]?.short ?? s.protocol}, with {s.collections.join(', ')}
        </span>
      </span>
      <span>
        {s.candidates.length === 0 && (
          <span className="mb-1 block text-held">
            △ No connection is reached so and has {s.collections.join(', ')}.{' '}
            <Link to="/systems/new" className="underline">
              Add the system
            </Link>{' '}
            first, and read its catalogue.
          </span>
        )}
        <select
          className={INPUT}
          aria-label={`${s.name} is`}
          value={chosen ?? '?'}
          onChange={(e) => choose(e.target.value)}
        >
          <option value="?" disabled>
            choose…
          </option>
          {s.candidates.map((c) => (
            <option key={c.system} value={c.system}>
              {c.name}
            </option>
          ))}
          <option value="">not here: leave its side out</option>
        </select>
        {is && (
          <span className={`mt-1 block text-sm ${is.missing.length > 0 ? 'text-held' : 'text-soft'}`}>
            {is.missing.length === 0
              ? `All ${s.used} fields that the mirrors use are there.`
              : `△ ${s.used - is.missing.length} of ${s.used} fields are there; not: ${is.missing.join(', ')}.`}
          </span>
        )}
      </span>
    </li>
  );
}
