import { Link } from 'react-router';
import type { MirrorToday, Session, System } from '../../api/client';

type Step = { done: boolean; title: string; text: React.ReactNode; to: string; action: string };

/** What a workspace looks like before anything runs: the way there, step by step, with the next one to take. */
export function FirstSteps({
  systems,
  mirrors,
  session,
}: {
  systems: System[];
  mirrors: MirrorToday[];
  session: Session;
}) {
  const draft = mirrors.find((m) => m.state === 'draft');
  const address = draft ? `/mirrors/${draft.key}` : '/mirrors';
  const steps: Step[] = [
    {
      done: systems.length >= 2,
      title: 'Connect the systems that hold your records',
      text:
        systems.length === 0
          ? 'The CRM and the ERP, to begin with. Each is tested as you type, and described by itself where it can.'
          : systems.length === 1
            ? `${systems[0]!.name} is connected. A mirror needs at least one more.`
            : `${systems.map((s) => s.name).join(', ')} are connected.`,
      to: '/systems/new',
      action: systems.length === 0 ? 'Connect the first system' : 'Connect another',
    },
    {
      done: mirrors.length > 0,
      title: 'Begin a mirror between them',
      text: (
        <>
          Say which collections are the same: customers here, organisations there. Or{' '}
          <Link to="/mirrors/file" className="text-action underline">
            bring one in from a file
          </Link>
          .
        </>
      ),
      to: '/mirrors/new',
      action: 'Begin a mirror',
    },
    {
      done: mirrors.some((m) => m.state !== 'draft'),
      title: 'Map it, rehearse it, publish it',
      text: 'Fields are suggested, with how sure and why. A rehearsal shows every write beforehand; nothing is written before you publish and run.',
      to: address,
      action: 'Go on with it',
    },
    {
      done: mirrors.some((m) => m.lastRun && !m.lastRun.rehearsal),
      title: 'Run it, and let it run by itself',
      text: 'From then on this page tells each morning what needs you, what moved, and how the systems are.',
      to: address,
      action: 'Open it',
    },
  ];
  const next = steps.findIndex((s) => !s.done);
  const may = session.role === 'administrator';
  return (
    <section aria-label="First steps" className="mx-auto max-w-[760px] px-5 py-8">
      <h1 className="text-lg font-semibold">Nothing is kept the same yet</h1>
      <p className="mt-1 mb-4 text-soft">
        {may ? 'Four steps to the first mirror.' : 'An administrator takes these four steps; you can look on.'}
      </p>
      <ol className="border-y border-rule bg-sheet">
        {steps.map((s, n) => (
          <li
            key={s.title}
            aria-current={n === next ? 'step' : undefined}
            className={`grid grid-cols-[32px_minmax(0,1fr)_auto] items-start gap-x-3 border-b border-rule px-4 py-3 last:border-b-0 ${n === next ? 'bg-spine' : ''}`}
          >
            <span className={`font-semibold tabular-nums ${n === next ? 'text-spine-ink' : 'text-soft'}`}>
              {s.done ? (
                <>
                  <span aria-hidden="true">=</span>
                  <span className="sr-only">done</span>
                </>
              ) : (
                n + 1
              )}
            </span>
            <div>
              <p className={`font-semibold ${s.done ? 'text-soft' : ''}`}>{s.title}</p>
              <p className={n === next ? 'text-spine-ink' : 'text-soft'}>{s.text}</p>
            </div>
            {may && (n === next || (n === 0 && s.done && !steps[1]!.done)) && (
              <Link
                to={s.to}
                className={`mt-1 rounded border px-3 py-1 font-semibold ${n === next ? 'border-action bg-action text-on-action' : 'border-rule bg-sheet'}`}
              >
                {s.action}
              </Link>
            )}
          </li>
        ))}
      </ol>
    </section>
  );
}
