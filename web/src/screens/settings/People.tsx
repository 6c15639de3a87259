import { useState } from 'react';
import type { Person, PersonAsked } from '../../api/client';
import { useAddPerson, useChangePerson, useEndSession, usePeople, useResetPassword } from '../../api/queries';
import { Button } from '../../parts/Button';
import { INPUT, Labelled, Tick } from '../../parts/inputs';
import { Failing, Loading, Notice } from '../../parts/States';
import { When } from '../../parts/When';
import { Personal } from './Personal';

const ROLES: [string, string, string][] = [
  [
    'administrator',
    'Administrator',
    'Changes mirrors, connections, people and notices, and does all that a steward does.',
  ],
  ['steward', 'Steward', 'Settles conflicts and look-alikes, frees held records, runs mirrors.'],
  ['reader', 'Reader', 'Looks at everything but personal values, changes nothing.'],
];

/** Who may sign in, as what, and where they are signed in. */
export function People() {
  const people = usePeople();
  const [chosen, setChosen] = useState<number | 'new' | null>(null);
  const [given, setGiven] = useState<{ name: string; password: string } | null>(null);
  if (people.isPending) return <Loading what="the people" />;
  if (people.isError) return <Failing error={people.error} retry={() => void people.refetch()} />;
  const open = people.data.find((p) => p.id === chosen);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_400px] items-start gap-8">
      <div>
        {given && (
          <div role="status" className="mb-3 border-l-4 border-action bg-sheet px-4 py-3">
            <p>
              Give {given.name} this first password. It is shown this once, and they choose their own when they sign in.
            </p>
            <p className="mt-1 font-mono text-lg select-all">{given.password}</p>
          </div>
        )}
        <table className="w-full border-y border-rule bg-sheet">
          <thead className="text-left text-sm text-soft">
            <tr className="border-b border-rule [&>th]:px-3 [&>th]:py-1.5 [&>th]:font-semibold">
              <th>Name</th>
              <th>Signs in with</th>
              <th>May act as</th>
              <th>Last seen</th>
            </tr>
          </thead>
          <tbody>
            {people.data.map((p) => (
              <tr
                key={p.id}
                className={`border-b border-rule last:border-b-0 [&>td]:px-3 [&>td]:py-2 ${p.id === chosen ? 'bg-spine' : ''}`}
              >
                <td>
                  <button
                    type="button"
                    aria-pressed={p.id === chosen}
                    className="font-semibold hover:underline"
                    onClick={() => {
                      setChosen(p.id);
                      setGiven(null);
                    }}
                  >
                    {p.name}
                  </button>
                  {p.isYou && <span className="text-soft"> (you)</span>}
                </td>
                <td className="break-all">{p.email}</td>
                <td>
                  {p.isOff ? (
                    <span className="font-semibold text-held">‖ may not sign in</span>
                  ) : (
                    (ROLES.find(([r]) => r === p.role)?.[1] ?? p.role)
                  )}
                </td>
                <td className="text-soft">
                  {p.sessions[0] ? <When at={p.sessions[0].seenAt} /> : p.mustChange ? 'not yet' : 'signed out'}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="mt-3">
          <Button
            onClick={() => {
              setChosen('new');
              setGiven(null);
            }}
          >
            Add a person
          </Button>
        </p>
        <Personal />
      </div>
      {(open || chosen === 'new') && (
        <PersonForm
          key={String(chosen)}
          person={open ?? null}
          done={(name, password) => {
            if (password) setGiven({ name, password });
            setChosen(null);
          }}
        />
      )}
    </div>
  );
}

function PersonForm({
  person,
  done,
}: {
  person: Person | null;
  done: (name: string, password: string | null) => void;
}) {
  const [asked, setAsked] = useState<PersonAsked>(
    person
      ? { email: person.email, name: person.name, role: person.role, isOff: person.isOff }
      : { email: '', name: '', role: 'steward', isOff: false },
  );
  const add = useAddPerson();
  const change = useChangePerson();
  const reset = useResetPassword();
  const end = useEndSession();
  const fault = add.error ?? change.error ?? reset.error ?? end.error;
  const set = (some: Partial<PersonAsked>) => setAsked({ ...asked, ...some });
  return (
    <form
      aria-label={person ? person.name : 'A new person'}
      className="space-y-4 border border-rule bg-sheet p-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (person) change.mutate({ id: person.id, ...asked }, { onSuccess: () => done(asked.name, null) });
        else add.mutate(asked, { onSuccess: (made) => done(asked.name, made.password) });
      }}
    >
      <Labelled label="Name">
        {(id) => (
          <input
            id={id}
            autoFocus
            maxLength={80}
            className={INPUT}
            value={asked.name}
            onChange={(e) => set({ name: e.target.value })}
          />
        )}
      </Labelled>
      <Labelled label="E-mail" hint="What they sign in with.">
        {(id) => (
          <input
            id={id}
            type="email"
            maxLength={254}
            className={INPUT}
            value={asked.email}
            onChange={(e) => set({ email: e.target.value })}
          />
        )}
      </Labelled>
      <fieldset>
        <legend className="mb-1 font-semibold">May act as</legend>
        {ROLES.map(([role, name, what]) => (
          <label key={role} className="flex items-start gap-2 py-0.5">
            <input
              type="radio"
              name="role"
              className="mt-1 accent-action"
              checked={asked.role === role}
              onChange={() => set({ role })}
            />
            <span>
              {name}
              <span className="block text-sm text-soft">{what}</span>
            </span>
          </label>
        ))}
      </fieldset>
      {person && (
        <Tick on={asked.isOff} set={(isOff) => set({ isOff })}>
          May not sign in any more. What they did stays under their name.
        </Tick>
      )}
      {fault && <Notice>{fault.message}</Notice>}
      <div className="flex gap-2">
        <Button
          primary
          type="submit"
          disabled={add.isPending || change.isPending || !asked.name.trim() || !asked.email.trim()}
        >
          {person ? 'Keep the changes' : 'Add and make a first password'}
        </Button>
        <Button onClick={() => done('', null)}>Leave it</Button>
      </div>
      {person && (
        <div className="border-t border-rule pt-3">
          <Button
            disabled={reset.isPending}
            onClick={() => {
              if (window.confirm(`Make a new first password for ${person.name}? They are signed out everywhere.`))
                reset.mutate(person.id, { onSuccess: (made) => done(person.name, made.password) });
            }}
          >
            Make a new first password
          </Button>
          <h3 className="mt-4 mb-1 font-semibold">
            {person.sessions.length === 0 ? 'Signed in nowhere' : 'Signed in'}
          </h3>
          <ul>
            {person.sessions.map((s) => (
              <li key={s.id} className="flex items-baseline justify-between gap-3 border-t border-rule py-1.5">
                <span className="min-w-0">
                  <span className="block truncate text-sm" title={s.agent}>
                    {s.agent || 'A program'}
                  </span>
                  <span className="text-sm text-soft">
                    since <When at={s.beganAt} />, seen <When at={s.seenAt} />
                  </span>
                </span>
                {s.isThis ? (
                  <span className="text-sm whitespace-nowrap text-soft">this one</span>
                ) : (
                  <Button disabled={end.isPending} onClick={() => end.mutate({ id: person.id, session: s.id })}>
                    Sign out
                  </Button>
                )}
              </li>
            ))}
          </ul>
        </div>
      )}
    </form>
  );
}
