import type { DraftPage, DraftSettings, FieldForm } from './client';

/** A draft's page with an edit in it, before the server has said what it makes of that: what is known of each field goes with it. */
export function edited(page: DraftPage, what: string, fields: FieldForm[], settings?: DraftSettings): DraftPage {
  const byName = new Map(page.fields.map((f, i) => [f.name, i]));
  const isRenamed = fields.length === page.fields.length;
  const before = fields.map((f, i) => byName.get(f.name) ?? (isRenamed ? i : -1));
  const now = new Map(before.map((old, i) => [old, i]));
  return {
    ...page,
    step: page.step + 1,
    last: page.step + 1,
    what,
    undone: null,
    fields,
    settings: settings ?? page.settings,
    samples: fields.map((f, i) =>
      f.cells.map((c, side) =>
        c && page.fields[before[i]!]?.cells[side]?.path === c.path ? (page.samples[before[i]!]?.[side] ?? null) : null,
      ),
    ),
    agreed: before.map((old) => page.agreed[old] ?? null),
    inPlainWords: before.map((old) => page.inPlainWords[old] ?? ''),
    findings: page.findings
      .filter((f) => f.field === null || now.has(f.field))
      .map((f) => (f.field === null ? f : { ...f, field: now.get(f.field)! })),
  };
}
