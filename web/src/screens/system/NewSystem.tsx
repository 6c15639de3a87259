import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { ConnectionAsked } from '../../api/client';
import { useKeepConnection } from '../../api/queries';
import { Button } from '../../parts/Button';
import { Notice } from '../../parts/States';
import { ConnectionForm, NEW } from './ConnectionForm';
import { TestSteps, useConnectionTest } from './ConnectionTest';

const TESTS =
  'The test goes step by step: the name is resolved, the system reached and signed in to, its description read, one record read, the clocks compared and the limits found. Nothing is written.';
const SENDS =
  'It is never called, so there is nothing to test. When it is kept, open an address for each kind of record that it sends; its fields are known as soon as the first one came.';

/** Connects a system: what is known of it on the left, how the test goes on the right. */
export function NewSystem() {
  const [asked, setAsked] = useState<ConnectionAsked>(NEW);
  const [passed, setPassed] = useState<string | null>(null);
  const test = useConnectionTest('/api/systems/try');
  const keep = useKeepConnection();
  const go = useNavigate();
  const signature = JSON.stringify(asked);
  const sends = asked.protocol === 'events';
  const isGreen = sends || passed === signature;
  const named = asked.name.trim() !== '' && (sends || asked.address.trim() !== '');
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
          {!sends && (
            <Button
              primary={!isGreen}
              disabled={test.busy || !named}
              onClick={() => void test.run(asked).then((ok) => setPassed(ok ? signature : null))}
            >
              {test.busy ? 'Testing…' : 'Test the connection'}
            </Button>
          )}
          <Button
            primary={isGreen}
            disabled={keep.isPending || !named}
            onClick={() =>
              keep.mutate(asked, { onSuccess: (key) => void go(`/systems/${key}${sends ? '/events' : ''}`) })
            }
          >
            {isGreen ? 'Keep this system' : 'Keep it untested'}
          </Button>
        </div>
        {keep.isError && <Notice>{keep.error.message}</Notice>}
        {test.steps || test.fault ? (
          <TestSteps steps={test.steps} busy={test.busy} fault={test.fault} />
        ) : (
          <p className="text-soft">{sends ? SENDS : TESTS}</p>
        )}
      </aside>
    </div>
  );
}
