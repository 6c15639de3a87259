import { useSystems } from '../../api/queries';
import { Failing, Loading } from '../../parts/States';
import { SystemTile } from '../../parts/SystemTile';
import { When } from '../../parts/When';

const STATE: Record<string, string> = { answering: 'text-action', slow: 'text-held', down: 'text-refused' };

export function Systems() {
  const systems = useSystems();
  return (
    <div className="mx-auto max-w-[1100px] px-5 py-4">
      <h1 className="mb-2 text-lg font-semibold">Systems</h1>
      {systems.isPending && <Loading what="the systems" />}
      {systems.isError && <Failing error={systems.error} retry={() => void systems.refetch()} />}
      <ul className="border-t border-rule bg-sheet">
        {systems.data?.map((s) => (
          <li
            key={s.system}
            className="grid grid-cols-[28px_minmax(0,1fr)_130px_220px] items-start gap-2 border-b border-rule px-3 py-3"
          >
            <SystemTile of={s} />
            <div className="min-w-0">
              <div className="font-semibold">{s.name}</div>
              <div className="truncate text-sm text-soft">
                {s.protocol === 'rest' ? 'REST, described by OpenAPI at' : 'OData v4 at'} {s.address}
              </div>
              {s.lastFault && s.lastFaultAt && (
                <div className="mt-1 text-sm">
                  Last trouble <When at={s.lastFaultAt} />: {s.lastFault}
                </div>
              )}
            </div>
            <span className={`font-semibold ${STATE[s.state] ?? 'text-soft'}`}>{s.state}</span>
            <span className="text-right text-soft">
              {s.milliseconds !== null && `${s.milliseconds} ms in the middle, `}
              {s.calls.toLocaleString()} calls
              {s.failures > 0 && `, ${s.failures.toLocaleString()} failed`}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
