import { INPUT, Labelled } from '../../parts/inputs';

/** A secret is typed once, or taken from elsewhere each time it is needed. What is kept is never shown. */
export function Secret({
  label,
  hidden,
  isKept,
  value,
  from,
  type,
  takeFrom,
}: {
  label: string;
  hidden: boolean;
  isKept: boolean;
  value: string;
  from: { environment?: string | null; file?: string | null } | null;
  type: (value: string) => void;
  takeFrom: (source: { environment: string | null; file: string | null } | null) => void;
}) {
  const where = from === null ? 'typed' : from.file !== null && from.file !== undefined ? 'file' : 'environment';
  return (
    <Labelled label={label}>
      {(id) => (
        <>
          {where === 'typed' ? (
            <input
              id={id}
              type={hidden ? 'password' : 'text'}
              autoComplete="off"
              className={INPUT}
              value={value}
              placeholder={isKept ? 'kept; type to replace it' : ''}
              onChange={(e) => type(e.target.value)}
            />
          ) : (
            <input
              id={id}
              className={INPUT}
              value={(where === 'file' ? from?.file : from?.environment) ?? ''}
              placeholder={where === 'file' ? 'name of the file' : 'UPRIGHT_SECRET_…'}
              onChange={(e) =>
                takeFrom(
                  where === 'file'
                    ? { environment: null, file: e.target.value }
                    : { environment: e.target.value, file: null },
                )
              }
            />
          )}
          <select
            aria-label={`${label}: where it comes from`}
            value={where}
            onChange={(e) =>
              takeFrom(
                e.target.value === 'typed'
                  ? null
                  : e.target.value === 'file'
                    ? { environment: null, file: '' }
                    : { environment: '', file: null },
              )
            }
            className="mt-1 bg-transparent text-sm text-soft"
          >
            <option value="typed">typed here, kept encrypted</option>
            <option value="environment">from an environment variable</option>
            <option value="file">from a file</option>
          </select>
        </>
      )}
    </Labelled>
  );
}
