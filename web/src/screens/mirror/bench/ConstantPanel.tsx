import { useState } from 'react';
import type { DraftPage } from '../../../api/client';
import { useCatalogue } from '../../../api/queries';
import { Button } from '../../../parts/Button';
import { SystemTile } from '../../../parts/SystemTile';
import { withConstant, type Edit, type Open } from './edits';
import { INPUT, Captioned } from '../../../parts/inputs';

/** What every record that is created on a side is given in one of its fields. */
export function ConstantPanel({
  page,
  side,
  path,
  edit,
  choose,
}: {
  page: DraftPage;
  side: number;
  path: string;
  edit: Edit;
  choose: (open: Open | null) => void;
}) {
  const of = page.sides[side]!;
  const catalogue = useCatalogue(of.system);
  const described = catalogue.data?.find((c) => c.name === of.collection)?.fields.find((f) => f.path === path);
  const known = page.settings.sides[side]!.constants.find((c) => c.path === path)?.text;
  const [text, setText] = useState(known ?? '');
  const keep = (value: string) => {
    const next = value.trim();
    if (next && next !== known)
      edit(`Give ${of.name} ${path} “${next}”`, page.fields, withConstant(page.settings, side, path, next));
  };
  const problems = page.findings.filter((f) => f.field === null && f.side === side && f.path === path && f.isWrong);
  return (
    <div className="space-y-3">
      <h2 className="flex items-center gap-2 font-semibold">
        <SystemTile of={of} /> <span className="min-w-0 break-words">{path}</span>
      </h2>
      {described && (
        <p className="text-sm text-soft">
          {described.type}
          {described.maxLength ? `, up to ${described.maxLength}` : ''}
          {described.required ? ' · required' : ''}
        </p>
      )}
      <p>Every record that this mirror creates in {of.name} is given this. It is not changed there afterwards.</p>
      <Captioned label="Constant">
        <input
          className={INPUT}
          list="constant-values"
          value={text}
          autoFocus={known === undefined}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
          onBlur={() => keep(text)}
        />
        <datalist id="constant-values">
          {(described?.allowed.length ? described.allowed : (described?.samples ?? [])).map((v) => (
            <option key={v} value={v} />
          ))}
        </datalist>
      </Captioned>
      {described && described.samples.length > 0 && (
        <p className="text-sm text-soft">
          Seen there:{' '}
          {described.samples.slice(0, 4).map((v, i) => (
            <button
              key={v}
              type="button"
              className="text-action hover:underline"
              onClick={() => {
                setText(v);
                keep(v);
              }}
            >
              {i > 0 && ', '}
              {v}
            </button>
          ))}
        </p>
      )}
      {problems.map((f) => (
        <p key={f.words} className="border-l-4 border-refused px-2">
          {f.words}
        </p>
      ))}
      {known !== undefined && (
        <Button
          onClick={() => {
            edit(`Take the constant ${path} out`, page.fields, withConstant(page.settings, side, path, null));
            choose(null);
          }}
        >
          Take it out
        </Button>
      )}
    </div>
  );
}
