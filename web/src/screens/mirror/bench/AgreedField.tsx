import { useState } from 'react';
import type { DraftPage, FieldForm, LinesForm } from '../../../api/client';
import { Button } from '../../../parts/Button';
import { freeName, moved, newField, TYPES, withField, withLines, type Edit, type Open } from './edits';
import { FormulaEditor } from './FormulaEditor';
import { INPUT, Captioned, Tick } from '../../../parts/inputs';
import { WorkedOut } from './WorkedOut';

/** The agreed field: its name, type, group and place, and what the mirror uses it for. */
export function AgreedField({
  mirrorKey,
  at,
  find,
  field,
  page,
  edit,
  choose,
  inLines = false,
}: {
  mirrorKey: string;
  /** The sample record that is looked at, among those that are found. */
  at: number;
  find: string;
  field: FieldForm;
  page: DraftPage;
  edit: Edit;
  choose: (open: Open | null) => void;
  /** A field of lines: what only concerns whole records is left out. */
  inLines?: boolean;
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
      <Captioned label="Name">
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
      </Captioned>
      <div className="grid grid-cols-2 gap-2">
        <Captioned label="Holds">
          <select
            className={INPUT}
            value={field.type}
            onChange={(e) => set(`${field.name} holds ${TYPES[e.target.value]}`, { type: e.target.value })}
          >
            {Object.entries(TYPES)
              .filter(([id]) => !inLines || id !== 'lines')
              .map(([id, words]) => (
                <option key={id} value={id}>
                  {words}
                </option>
              ))}
          </select>
        </Captioned>
        {!inLines && (
          <Captioned label="Field group">
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
          </Captioned>
        )}
      </div>
      {field.type === 'lines' && <LinesOfField field={field} page={page} edit={edit} choose={choose} />}
      {!inLines && field.type !== 'lines' && field.type !== 'reference' && (
        <WorkedOut
          mirrorKey={mirrorKey}
          field={field}
          others={fields.filter((f) => f !== field && f.type !== 'lines' && f.type !== 'reference').map((f) => f.name)}
          at={at}
          find={find}
          keep={(workedOut) =>
            set(workedOut ? `Work ${field.name} out by a formula` : `Do not work ${field.name} out`, {
              workedOut,
              // What is worked out is given by nobody.
              cells: field.cells.map((c) => (c && workedOut ? { ...c, gives: false, takes: true } : c)),
            })
          }
        />
      )}
      {!inLines && (
        <div className="space-y-1.5">
          {!field.workedOut && (
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
          )}
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
          {!field.workedOut && (
            <Tick on={field.emptyTravels} set={(on) => set(`Emptying ${field.name}`, { emptyTravels: on })}>
              Emptying it on one side empties it elsewhere
            </Tick>
          )}
        </div>
      )}
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

/** What tells lines apart, what they must add up to, and a new field for them. */
function LinesOfField({
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
  const lines = field.lines ?? { key: '', fields: [], total: null };
  const numbers = page.fields.filter((f) => f.type === 'number');
  const [amount, setAmount] = useState(lines.total?.amount ?? '');
  const [tolerance, setTolerance] = useState(String(lines.total?.tolerance ?? 0.01));
  const set = (what: string, change: Partial<LinesForm>) =>
    edit(
      what,
      withLines(page.fields, field.name, (l) => ({ ...l, ...change })),
    );
  const total = (some: Partial<NonNullable<LinesForm['total']>>) => {
    const next = { field: lines.total?.field ?? '', amount: amount.trim(), tolerance: Number(tolerance) || 0, ...some };
    if (JSON.stringify(next) !== JSON.stringify(lines.total))
      set(next.field ? `Check the lines against ${next.field}` : 'Do not check the total', {
        total: next.field ? next : null,
      });
  };
  return (
    <fieldset className="space-y-2 border border-rule p-2">
      <legend className="px-1 text-sm font-semibold text-soft">Lines</legend>
      <Captioned label="Told apart by">
        <select
          className={INPUT}
          value={lines.key}
          onChange={(e) => set(`Tell lines apart by ${e.target.value}`, { key: e.target.value })}
        >
          <option value="">choose a line field</option>
          {lines.fields.map((f) => (
            <option key={f.name}>{f.name}</option>
          ))}
        </select>
      </Captioned>
      <Captioned label="Must add up to">
        <select className={INPUT} value={lines.total?.field ?? ''} onChange={(e) => total({ field: e.target.value })}>
          <option value="">nothing</option>
          {numbers.map((f) => (
            <option key={f.name}>{f.name}</option>
          ))}
        </select>
      </Captioned>
      {lines.total && (
        <>
          <FormulaEditor
            label="One line amounts to"
            value={amount}
            fields={lines.fields.map((f) => f.name)}
            type={setAmount}
            leave={() => total({ amount: amount.trim() })}
          />
          <Captioned label="They may be apart by">
            <input
              className={INPUT}
              inputMode="decimal"
              value={tolerance}
              onChange={(e) => setTolerance(e.target.value)}
              onBlur={() => total({ tolerance: Math.max(0, Number(tolerance) || 0) })}
            />
          </Captioned>
        </>
      )}
      <Button
        onClick={() => {
          const name = freeName(lines.fields, 'Line field');
          set(`Add ${name}`, {
            fields: [
              ...lines.fields,
              newField(
                name,
                'text',
                field.cells.map(() => null),
              ),
            ],
            key: lines.key || name,
          });
          choose({ kind: 'field', field: field.name, side: null, line: name });
        }}
      >
        Add a line field
      </Button>
    </fieldset>
  );
}

const ORDER = ['first', 'second', 'third', 'fourth'];
