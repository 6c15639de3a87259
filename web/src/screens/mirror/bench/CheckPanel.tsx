import type { DraftPage, Finding } from '../../../api/client';
import type { Edit, Open } from './edits';

/** Everything wrong or doubtful in the draft, each with its place. */
export function CheckPanel({ page, choose, edit }: { page: DraftPage; choose: (open: Open) => void; edit: Edit }) {
  const { findings } = page;
  const wrong = findings.filter((f) => f.isWrong);
  const doubtful = findings.filter((f) => !f.isWrong && !f.isJudged);
  const judged = findings.filter((f) => f.isJudged);
  const judge = (words: string, isFine: boolean) => {
    const others = page.settings.judged.filter((j) => j !== words);
    edit(isFine ? 'Judge a doubt as it should be' : 'Doubt it again', page.fields, {
      ...page.settings,
      judged: isFine ? [...others, words] : others,
    });
  };
  return (
    <div>
      <h2 className="font-semibold">Check</h2>
      {wrong.length + doubtful.length === 0 ? (
        <p className="mt-2 border-l-4 border-action bg-spine px-3 py-2 text-spine-ink">
          <span aria-hidden="true">= </span>Nothing is wrong and nothing doubtful{' '}
          {judged.length > 0 && 'that you have not judged '}in {page.fields.length} fields on {page.sides.length} sides.
        </p>
      ) : (
        <p className="mt-1 text-soft">
          {wrong.length > 0
            ? 'What is wrong keeps the draft from being published.'
            : 'Nothing is wrong. What is doubtful is for you to judge.'}
        </p>
      )}
      {page.fault && <p className="mt-2 border-l-4 border-held bg-held-tint px-3 py-2">No samples: {page.fault}</p>}
      <List title="Wrong" mark="×" findings={wrong} page={page} choose={choose} />
      <List
        title="Doubtful"
        mark="△"
        findings={doubtful}
        page={page}
        choose={choose}
        judge={{ words: 'It is as it should be', set: (f) => judge(f.words, true) }}
      />
      <List
        title="Judged as it should be"
        mark="="
        findings={judged}
        page={page}
        choose={choose}
        judge={{ words: 'Doubt it again', set: (f) => judge(f.words, false) }}
      />
    </div>
  );
}

function List({
  title,
  mark,
  findings,
  page,
  choose,
  judge,
}: {
  title: string;
  mark: string;
  findings: Finding[];
  page: DraftPage;
  choose: (open: Open) => void;
  judge?: { words: string; set: (f: Finding) => void };
}) {
  if (findings.length === 0) return null;
  return (
    <section aria-label={title} className="mt-3">
      <h3 className="text-sm font-semibold text-soft">
        {title} ({findings.length})
      </h3>
      <ul>
        {findings.map((f) => {
          const place = placeOf(f, page);
          return (
            <li key={`${f.field} ${f.side} ${f.path} ${f.words}`} className="border-t border-rule py-1.5">
              <span aria-hidden="true">{mark} </span>
              {f.words}{' '}
              {place && (
                <button
                  type="button"
                  className="mr-3 font-semibold text-action hover:underline"
                  onClick={() => choose(place)}
                  aria-label={`Open ${f.path ?? page.fields[f.field!]?.name}`}
                >
                  Open
                </button>
              )}
              {judge && (
                <button
                  type="button"
                  className="text-soft underline hover:text-ink"
                  onClick={() => judge.set(f)}
                  aria-label={`${judge.words}: ${f.words}`}
                >
                  {judge.words}
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** Where a finding is put right. */
function placeOf(f: Finding, page: DraftPage): Open | null {
  const name = f.field === null ? undefined : page.fields[f.field]?.name;
  if (name !== undefined) return { kind: 'field', field: name, side: f.side };
  return f.side !== null && f.path !== null ? { kind: 'constant', side: f.side, path: f.path } : null;
}
