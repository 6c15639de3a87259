/** The marks for what became of a record: one set everywhere, always with its word. */
const MARKS = {
  created: ['+', 'created', 'text-action'],
  updated: ['~', 'updated', 'text-action'],
  unchanged: ['=', 'unchanged', 'text-soft'],
  agreed: ['=', 'agreed', 'text-action'],
  linked: ['∞', 'linked', 'text-soft'],
  inConflict: ['≠', 'in conflict', 'text-conflict'],
  lookAlike: ['?', 'look-alike', 'text-alike'],
  held: ['‖', 'held', 'text-held'],
  refused: ['×', 'refused', 'text-refused'],
  flagged: ['!', 'flagged', 'text-held'],
  attention: ['△', 'needs attention', 'text-held'],
} as const;

export type MarkName = keyof typeof MARKS;

export function Mark({ of, word = false }: { of: MarkName; word?: boolean }) {
  const [sign, name, colour] = MARKS[of];
  return (
    <span className={`inline-flex items-baseline gap-1.5 ${colour}`}>
      <span aria-hidden="true" className="inline-block w-3 text-center font-semibold">
        {sign}
      </span>
      <span className={word ? '' : 'sr-only'}>{name}</span>
    </span>
  );
}
