import { useState } from 'react';
import type { Keeping as Kept } from '../../api/client';
import { useKeeping, useSetKeeping } from '../../api/queries';
import { Keep } from '../../parts/Keep';
import { NumberField } from '../../parts/inputs';
import { Failing, Loading } from '../../parts/States';

/** For how long what runs tell is kept. */
export function Keeping() {
  const kept = useKeeping();
  if (kept.isPending) return <Loading what="for how long things are kept" />;
  if (kept.isError) return <Failing error={kept.error} retry={() => void kept.refetch()} />;
  return <KeepingForm kept={kept.data} />;
}

function KeepingForm({ kept }: { kept: Kept }) {
  const [days, setDays] = useState<number | null>(kept.days);
  const save = useSetKeeping();
  return (
    <form
      className="max-w-[420px] space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate({ days: days ?? 0 });
      }}
    >
      <NumberField
        label="Days for which runs’ logs are kept"
        hint="What a run did to each record is kept for good; this is about the lines that it told as it went."
        value={days}
        set={setDays}
      />
      <Keep saved={save}>Keep it so</Keep>
    </form>
  );
}
