import { useState } from 'react';
import { useChangePassword, useSignOut } from '../../api/queries';
import { Button } from '../../parts/Button';
import { INPUT, Labelled } from '../../parts/inputs';
import { Notice } from '../../parts/States';

/** Asks who signed in with a password that somebody else made for their own, before anything else. */
export function OwnPassword() {
  const signOut = useSignOut();
  return (
    <main className="mx-auto max-w-[460px] px-5 py-16">
      <h1 className="mb-1 text-lg font-semibold">Choose a password of your own</h1>
      <p className="mb-5 text-soft">The one that you signed in with was made by somebody else, and counts only once.</p>
      <PasswordForm old="The password that you were given" />
      <p className="mt-6">
        <button type="button" className="text-action hover:underline" onClick={() => signOut.mutate()}>
          Sign out
        </button>
      </p>
    </main>
  );
}

export function Password() {
  return (
    <div className="mx-auto max-w-[460px] px-5 py-6">
      <h1 className="mb-4 text-lg font-semibold">Change your password</h1>
      <PasswordForm old="The password that you have now" />
    </div>
  );
}

function PasswordForm({ old }: { old: string }) {
  const change = useChangePassword();
  const [was, setWas] = useState('');
  const [next, setNext] = useState('');
  const [again, setAgain] = useState('');
  const differs = again !== '' && next !== again;
  return (
    <form
      className="space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (!differs && again !== '') change.mutate({ old: was, new: next });
      }}
    >
      <Typed label={old} value={was} set={setWas} kind="current-password" />
      <Typed
        label="The new one"
        value={next}
        set={setNext}
        kind="new-password"
        hint="At least 12 characters. Several words that do not belong together are easy to remember."
      />
      <Typed label="The new one again" value={again} set={setAgain} kind="new-password" />
      {differs && <p className="text-refused">The two are not the same.</p>}
      {change.isError && <Notice>{change.error.message}</Notice>}
      {change.isSuccess && (
        <p role="status" className="text-action">
          It is changed. Wherever else you were signed in, you are not any more.
        </p>
      )}
      <Button primary type="submit" disabled={change.isPending || !was || !next || !again || differs}>
        {change.isPending ? 'Changing…' : 'Change it'}
      </Button>
    </form>
  );
}

function Typed(props: { label: string; value: string; set: (v: string) => void; kind: string; hint?: string }) {
  return (
    <Labelled label={props.label} hint={props.hint}>
      {(id) => (
        <input
          id={id}
          type="password"
          autoComplete={props.kind}
          maxLength={256}
          className={INPUT}
          value={props.value}
          onChange={(e) => props.set(e.target.value)}
        />
      )}
    </Labelled>
  );
}
