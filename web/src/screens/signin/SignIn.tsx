import { useState } from 'react';
import { useSignIn } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Emblem } from '../../parts/Frame';

export function SignIn() {
  const signIn = useSignIn();
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  return (
    <main className="grid h-full grid-cols-[1fr_minmax(340px,400px)_1fr]">
      <div className="flex items-center justify-end p-10">
        <p className="max-w-60 text-right text-soft">What each system says.</p>
      </div>
      <div className="flex flex-col justify-center border-t-2 border-spine-ink bg-spine px-10">
        <h1 className="mb-6 flex items-center gap-2.5 text-lg font-semibold">
          <Emblem />
          Upright Mirror
        </h1>
        <form
          className="flex flex-col gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            signIn.mutate({ email, password });
          }}
        >
          <Line label="E-mail" type="email" autoComplete="username" value={email} change={setEmail} first />
          <Line
            label="Password"
            type="password"
            autoComplete="current-password"
            value={password}
            change={setPassword}
          />
          {signIn.isError && (
            <p role="alert" className="text-refused">
              {signIn.error.message}
            </p>
          )}
          <Button
            primary
            type="submit"
            disabled={signIn.isPending || !email || !password}
            className="h-9 justify-center"
          >
            {signIn.isPending ? 'Signing in…' : 'Sign in'}
          </Button>
        </form>
      </div>
      <div className="flex items-center p-10">
        <p className="max-w-60 text-soft">What they have agreed stands in the middle.</p>
      </div>
    </main>
  );
}

function Line(props: {
  label: string;
  type: string;
  autoComplete: string;
  value: string;
  change: (v: string) => void;
  first?: boolean;
}) {
  return (
    <label className="block">
      <span className="mb-1 block text-sm font-semibold text-spine-ink">{props.label}</span>
      <input
        type={props.type}
        autoComplete={props.autoComplete}
        autoFocus={props.first}
        required
        maxLength={254}
        value={props.value}
        onChange={(e) => props.change(e.target.value)}
        className="h-9 w-full rounded border border-rule bg-sheet px-3"
      />
    </label>
  );
}
