import { useState } from 'react';
import type { DraftPage, FieldForm } from '../../../api/client';
import { Button } from '../../../parts/Button';
import { moved, TYPES, withField, type Edit, type Open } from './edits';
import { INPUT, Labelled, Tick } from './inputs';

/** The agreed field: its name, type, group and place, and what the mirror uses it for. */
export function AgreedField({
  field,
  page,
  edit,
  choose,
}: {
  field: FieldForm;
  page: DraftPage;
  edit: Edit;
  choose: (open: Open | null) => void;
}) {
  const [name, setName] = useState(field.name);
  const [group, setGroup] = useState(field.group ?? '');
  const { fields, settings } = page;
  const set = (what: string, change: Partial<FieldForm>) =>
    edit(
      what,
      withField(fields, field.name, (f) => ({ ...f, ...change })),
    );
  const place = fields.findIndex((f) => f.name === field.name);
  const groups = [...new Set(fields.map((f) => f.group).filter((g) => g !== null))];
  const recognises = settings.recognising.includes(field.name);
  return (
    <div className="space-y-3">
      <h2 className="font-semibold">{field.name}</h2>
      <Labelled label="Name">
        <input
          className={INPUT}
          value={name}
          maxLength={80}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
          onBlur={() => {
            const next = name.trim();
            if (next && next !== field.name) {
              set(`Call ${field.name} ${next}`, { name: next });
              choose({ kind: 'field', field: next, side: null });
            }
          }}
        />
      </Labelled>
      <div className="grid grid-cols-2 gap-2">
        <Labelled label="Holds">
          <select
            className={INPUT}
            value={field.type}
            onChange={(e) => set(`${field.name} holds ${TYPES[e.target.value]}`, { type: e.target.value })}
          >
            {Object.entries(TYPES).map(([id, words]) => (
              <option key={id} value={id}>
                {words}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label="Field group">
          <input
            className={INPUT}
            list="known-groups"
            placeholder="none"
            value={group}
            maxLength={80}
            onChange={(e) => setGroup(e.target.value)}
            onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
            onBlur={() => {
              const next = group.trim() || null;
              if (next !== field.group)
                set(next ? `Put ${field.name} into ${next}` : `Take ${field.name} out of its group`, { group: next });
            }}
          />
          <datalist id="known-groups">
            {groups.map((g) => (
              <option key={g} value={g} />
            ))}
          </datalist>
        </Labelled>
      </div>
      <div className="space-y-1.5">
        <Tick
          on={recognises}
          set={(on) =>
            edit(`${on ? 'Recognise' : 'Do not recognise'} records by ${field.name}`, fields, {
              ...settings,
              recognising: on
                ? [...settings.recognising, field.name]
                : settings.recognising.filter((r) => r !== field.name),
            })
          }
        >
          Records with the same {field.name} are one
          {recognises && settings.recognising.length > 1 && (
            <span className="text-soft"> (tried {ORDER[settings.recognising.indexOf(field.name)] ?? 'later'})</span>
          )}
        </Tick>
        <Tick
          on={settings.titleField === field.name}
          set={(on) => on && edit(`Know records by ${field.name}`, fields, { ...settings, titleField: field.name })}
        >
          People know a record by it
        </Tick>
        <Tick
          on={settings.countryField === field.name}
          set={(on) =>
            edit(on ? `Read telephone numbers by ${field.name}` : 'Read telephone numbers as they stand', fields, {
              ...settings,
              countryField: on ? field.name : null,
            })
          }
        >
          It says the country, by its two letters, that telephone numbers are read in
        </Tick>
        <Tick on={field.emptyTravels} set={(on) => set(`Emptying ${field.name}`, { emptyTravels: on })}>
          Emptying it on one side empties it elsewhere
        </Tick>
      </div>
      <div className="flex flex-wrap gap-2">
        <Button disabled={place === 0} onClick={() => edit(`Move ${field.name}`, moved(fields, field.name, -1))}>
          Up
        </Button>
        <Button
          disabled={place === fields.length - 1}
          onClick={() => edit(`Move ${field.name}`, moved(fields, field.name, 1))}
        >
          Down
        </Button>
        <Button
          onClick={() => {
            edit(
              `Take ${field.name} away`,
              fields.filter((f) => f.name !== field.name),
            );
            choose(null);
          }}
        >
          Take away
        </Button>
      </div>
    </div>
  );
}

const ORDER = ['first', 'second', 'third', 'fourth'];
