import type { Flag } from '../../api/client';

/** What stands in the fields that a check looks at: each once, with who says it. */
export function Says({ of }: { of: Flag }) {
  const fields = [...new Set(of.says.map((s) => s.field))];
  return (
    <>
      {fields.map((field, i) => (
        <span key={field}>
          {i > 0 && '; '}
          <span className="text-soft">{field}: </span>
          {of.says
            .filter((s) => s.field === field)
            .map((s, j) => (
              <span key={s.system ?? 'agreed'}>
                {j > 0 && <span className="text-soft">, </span>}
                {s.value || <span className="text-soft">empty</span>}
                <span className="text-soft"> {s.system ? `in ${s.system}` : 'agreed'}</span>
              </span>
            ))}
        </span>
      ))}
    </>
  );
}
