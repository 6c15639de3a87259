import { useState } from 'react';
import { usePersonal, useSetPersonal } from '../../api/queries';
import { Keep } from '../../parts/Keep';
import { Failing, Loading } from '../../parts/States';

/** Which fields say who somebody is: readers do not see their values. */
export function Personal() {
  const kept = usePersonal();
  if (kept.isPending) return <Loading what="what readers do not see" />;
  if (kept.isError) return <Failing error={kept.error} retry={() => void kept.refetch()} />;
  return <Words kept={kept.data.words} />;
}

function Words({ kept }: { kept: string[] }) {
  const [text, setText] = useState(kept.join(', '));
  const save = useSetPersonal();
  return (
    <form
      aria-label="What readers do not see"
      className="mt-8 max-w-[720px]"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate({
          words: text
            .split(/[,\n]/)
            .map((w) => w.trim())
            .filter(Boolean),
        });
      }}
    >
      <h2 className="text-lg font-semibold">What readers do not see</h2>
      <p className="mt-1 text-soft">
        A field whose name has one of these words in it is personal. A reader sees the first letter of its values, on
        every page and in every file; an administrator and a steward see them whole.
      </p>
      <label className="mt-2 block">
        <span className="sr-only">Words, separated by commas</span>
        <textarea
          rows={3}
          maxLength={8000}
          className="w-full rounded border border-rule bg-sheet px-2.5 py-1.5"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <Keep saved={save}>Keep these words</Keep>
    </form>
  );
}
