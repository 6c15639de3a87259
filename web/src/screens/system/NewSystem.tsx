import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { ConnectionAsked } from '../../api/client';
import { useKeepConnection } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { ConnectionForm, NEW } from './ConnectionForm';
import { TestSteps, useConnectionTest } from './ConnectionTest';

/** Connects a system: what is known of it on the left, how the test goes on the right. */
export function NewSystem() {
  const [asked, setAsked] = useState<ConnectionAsked>(NEW);
  const [passed, setPassed] = useState<string | null>(null);
  const test = useConnectionTest('/api/systems/try');
  const keep = useKeepConnection();
  const go = useNavigate();
  const signature = JSON.stringify(asked);
  const isGreen = passed === signature;
  return (
    <div className="mx-auto grid max-w-[1240px] grid-cols-[minmax(0,1fr)_minmax(0,440px)] items-start gap-8 px-5 py-4">
      <div>
        <h1 className="mb-3 text-lg font-semibold">
          <Link to="/systems" className="text-soft underline hover:text-ink">
            Systems
          </Link>{' '}
          / Add a system
        </h1>
        <ConnectionForm asked={asked} change={setAsked} kept={false} secretsKept={[]} />
      </div>
      <aside aria-label="Test and keep" className="sticky top-4 space-y-3">
        <div className="flex gap-2">
          <Button
            primary={!isGreen}
            disabled={test.busy || asked.address.trim() === '' || asked.name.trim() === ''}
            onClick={() => void test.run(asked).then((ok) => setPassed(ok ? signature : null))}
          >
            {test.busy ? 'Testing…' : 'Test the connection'}
          </Button>
          <Button
            primary={isGreen}
            disabled={keep.isPending || asked.name.trim() === '' || asked.address.trim() === ''}
            onClick={() => keep.mutate(asked, { onSuccess: (key) => void go(`/systems/${key}`) })}
          >
            {isGreen ? 'Keep this system' : 'Keep it untested'}
          </Button>
        </div>
        {keep.isError && <Notice>{keep.error.message}</Notice>}
        {test.steps || test.fault ? (
          <TestSteps steps={test.steps} busy={test.busy} fault={test.fault} />
        ) : (
          <p className="text-soft">
            The test goes step by step: the name is resolved, the system reached and signed in to, its description read,
            one record read, the clocks compared and the limits found. Nothing is written.
          </p>
        )}
      </aside>
    </div>
  );
}
