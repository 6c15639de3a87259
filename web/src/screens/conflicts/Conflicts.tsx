import { useEffect, useState, type ReactNode } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import type { ConflictPage, ConflictRow, Decision, Session } from '../../api/client';
import { useConflict, useConflicts, useDecide, useQueues, useUndoDecisions } from '../../api/queries';
import { Button, Key } from '../../parts/Button';
import { useKeys } from '../../parts/keys';
import { Spine } from '../../parts/Spine';
import { Empty, Failing, Loading, Notice } from '../../parts/States';
import { clock, When } from '../../parts/When';
import { MakeRule } from './MakeRule';
import { Same } from './Same';

/** Conflicts, one at a time with the whole record around it, decided from the keyboard. */
export function Conflicts({ session }: { session: Session }) {
  const { id } = useParams();
  const [search] = useSearchParams();
  const go = useNavigate();
  const [last, setLast] = useState<Decided | null>(null);
  const undo = useUndoDecisions();
  const mayDecide = session.role !== 'reader';
  const conflicts = useConflicts();
  const rows = conflicts.data ?? [];
  const listed = id === undefined ? undefined : rows.find((r) => r.id === Number(id));
  // One that is not among the oldest, which are listed, is shown all the same.
  const far = useConflict(id !== undefined && rows.length >= LISTED && !listed ? Number(id) : null);
  const given = listed ?? far.data?.conflict;
  const current = given ?? rows[0] ?? null;
  const waiting = useQueues().data?.conflicts ?? rows.length;
  const position = current ? rows.indexOf(current) : -1;
  const move = (by: number) => {
    const next = rows[(position + by + rows.length) % rows.length];
    if (next) void go(`/conflicts/${next.id}`);
  };
  const takeBack = () => {
    if (!last || !mayDecide || undo.isPending) return;
    undo.mutate(last.ids, { onSuccess: () => void go(`/conflicts/${last.ids[0]}`) });
    setLast(null);
  };
  useKeys([
    { key: 'j', does: 'Next conflict', act: () => move(1) },
    { key: 'k', does: 'Conflict before', act: () => move(-1) },
    { key: 'u', does: 'Undo what was decided last', act: takeBack },
  ]);
  if (conflicts.isPending || (far.isPending && far.fetchStatus !== 'idle'))
    return (
      <div className="px-5 py-4">
        <Loading what="the conflicts" />
      </div>
    );
  if (conflicts.isError)
    return (
      <div className="px-5 py-4">
        <Failing error={conflicts.error} retry={() => void conflicts.refetch()} />
      </div>
    );
  const bar = (last || undo.isError || (undo.data?.length ?? 0) > 0) && (
    <LastDecision
      last={last}
      left={undo.data ?? []}
      error={undo.error?.message ?? null}
      busy={undo.isPending}
      undo={takeBack}
    />
  );
  if (id !== undefined && search.get('same') !== null)
    return (
      <Same
        id={Number(id)}
        same={search.get('same')!}
        mayDecide={mayDecide}
        bar={bar}
        onDecided={(ids, words) => setLast({ ids: [...(last?.ids ?? []), ...ids], words, id: Number(id) })}
      />
    );
  if (id !== undefined && search.get('rule') !== null)
    return <MakeRule id={Number(id)} isAdministrator={session.role === 'administrator'} />;
  if (!current)
    return (
      <div className="mx-auto max-w-[1000px] px-5 py-4">
        <h1 className="mb-2 text-lg font-semibold">Conflicts</h1>
        {bar}
        <Empty title="No conflict waits.">
          When both sides changed a field and its rule is to ask a person, the two values will stand here side by side,
          and one key decides. The decision goes out with the next run:{' '}
          <Link to="/mirrors" className="text-action underline">
            Mirrors
          </Link>
          .
        </Empty>
      </div>
    );
  return (
    <div className="flex h-full">
      <nav aria-label="Conflicts" className="w-[268px] shrink-0 overflow-auto border-r border-rule">
        <h1 className="px-4 py-3 text-lg font-semibold">Conflicts</h1>
        <ul>
          {rows.map((r, i) => (
            <li key={r.id}>
              {(i === 0 || rows[i - 1]!.mirror !== r.mirror) && (
                <div className="flex justify-between px-4 py-1.5 text-sm font-semibold text-soft">
                  {r.mirrorName}{' '}
                  {waiting <= rows.length && <span>{rows.filter((x) => x.mirror === r.mirror).length}</span>}
                </div>
              )}
              <Link
                to={`/conflicts/${r.id}`}
                aria-current={r.id === current.id ? 'true' : undefined}
                className={`block border-l-[3px] px-4 py-2 ${r.id === current.id ? 'border-conflict bg-sheet' : 'border-transparent hover:bg-sheet/60'}`}
              >
                <span className="block truncate font-semibold">{r.title}</span>
                <span className="block truncate text-sm text-soft">
                  {r.isRemoval ? 'removed' : r.fields.join(', ')} · <When at={r.openedAt} />
                  {r.alike > 0 && ` · ${r.alike} more like it`}
                </span>
              </Link>
            </li>
          ))}
        </ul>
      </nav>
      <One
        key={current.id}
        row={current}
        position={position}
        of={Math.max(rows.length, waiting)}
        mayDecide={mayDecide}
        bar={bar}
        onDecided={(choice, words) => {
          setLast({ ids: [current.id], words, id: current.id });
          undo.reset();
          if (current.alike > 0 && ['side', 'before', 'combine'].includes(choice.take))
            void go(`/conflicts/${current.id}?same=${choice.take}${choice.side === null ? '' : `:${choice.side}`}`);
          else move(rows.length > 1 ? 1 : 0);
        }}
      />
    </div>
  );
}

/** So many of the oldest are listed. */
const LISTED = 300;

/** What was decided last: it can be undone. */
type Decided = { ids: number[]; words: string; id: number };

function LastDecision({
  last,
  left,
  error,
  busy,
  undo,
}: {
  last: Decided | null;
  left: string[];
  error: string | null;
  busy: boolean;
  undo: () => void;
}) {
  return (
    <div className="mb-3 flex flex-wrap items-center gap-3 border-l-4 border-action bg-sheet px-3 py-1.5" role="status">
      {last ? (
        <>
          <span className="min-w-0 flex-1 truncate">{last.words}</span>
          <Link to={`/conflicts/${last.id}?rule`} className="text-action underline">
            Make it a rule…
          </Link>
          <Button keyHint="u" disabled={busy} onClick={undo}>
            {last.ids.length > 1 ? `Undo these ${last.ids.length}` : 'Undo'}
          </Button>
        </>
      ) : error ? (
        <span className="text-refused">{error}</span>
      ) : (
        <span>Undone, except: {left.join(' ')}</span>
      )}
    </div>
  );
}

type OneProps = {
  mayDecide: boolean;
  position: number;
  of: number;
  bar: ReactNode;
  onDecided: (choice: Omit<Decision, 'revision'>, words: string) => void;
};

function One({ row, ...rest }: OneProps & { row: ConflictRow }) {
  const conflict = useConflict(row.id);
  if (conflict.isPending)
    return (
      <div className="flex-1 px-5 py-4">
        <Loading what="the record" />
      </div>
    );
  if (conflict.isError)
    return (
      <div className="flex-1 px-5 py-4">
        <Failing error={conflict.error} retry={() => void conflict.refetch()} />
      </div>
    );
  return <Deciding page={conflict.data} {...rest} />;
}

/** What a button offers, as what was done: "Take Ballast ERP's" is "took Ballast ERP's". */
const done = (words: string) =>
  words
    .replace(/^Take /, 'took ')
    .replace(/^Keep /, 'kept ')
    .replace(/^[A-Z]/, (first) => first.toLowerCase());

type Choice = { key: string; name: string; decision: Omit<Decision, 'revision'> };

function Deciding({ page, position, of, mayDecide, bar, onDecided }: OneProps & { page: ConflictPage }) {
  const { conflict, record, choices } = page;
  const decide = useDecide(conflict.id);
  const [typing, setTyping] = useState<string[] | null>(null);
  const [comment, setComment] = useState('');
  const answers = answersTo(page);
  const take = (decision: Omit<Decision, 'revision'>, words: string) => {
    if (mayDecide && !decide.isPending)
      decide.mutate(
        { revision: conflict.revision, ...decision, comment: comment || null },
        { onSuccess: () => onDecided(decision, `${conflict.title}: ${done(words)}.`) },
      );
  };
  useKeys([
    ...answers.map((a) => ({ key: a.key, does: a.name, act: () => take(a.decision, a.name) })),
    ...(conflict.isRemoval
      ? []
      : [
          {
            key: 'e',
            does: 'Type another value',
            act: () => setTyping(conflict.fields.map((_, i) => conflict.competing[0]?.values?.[i] ?? '')),
          },
        ]),
  ]);
  return (
    <section aria-label={conflict.title} className="flex min-w-0 flex-1 flex-col">
      <div className="min-h-0 flex-1 overflow-auto px-5 pt-3 pb-5">
        {bar}
        <div className="mb-2 flex items-baseline gap-3">
          <h2 className="text-lg font-semibold">
            <Link to={`/records/${record.link}`} className="hover:underline">
              {conflict.title}
            </Link>
          </h2>
          <span className="text-soft">
            {record.recordType}, known since {clock(record.linkedSince)}
          </span>
          <span className="ml-auto text-soft">
            it goes out with the next run · {position + 1} of {of}
          </span>
        </div>
        <ConflictSpine page={page} />
        {choices.length > 0 && (
          <div className="mt-4">
            <h3 className="flex items-baseline border-b border-rule pb-1 text-sm font-semibold text-soft">
              What each rule would choose
              <Link to={`/conflicts/${conflict.id}?rule`} className="ml-auto font-normal text-action underline">
                Which rule decides as people did?
              </Link>
            </h3>
            <dl className="grid grid-cols-2 gap-x-10">
              {choices.map((c) => (
                <div key={c.rule} className="flex justify-between gap-6 border-b border-rule py-1.5">
                  <dt>
                    {c.rule} {c.isCurrent && <span className="text-soft">(the rule today)</span>}
                  </dt>
                  <dd className={c.chooses ? 'text-right' : 'text-conflict'}>
                    {c.chooses ? c.chooses.map((v) => v || 'empty').join(', ') : 'conflict'}
                  </dd>
                </div>
              ))}
            </dl>
          </div>
        )}
      </div>
      <div className="shrink-0 border-t border-rule px-5 py-3">
        {decide.isError && (
          <div className="mb-2">
            <Notice>{decide.error.message}</Notice>
          </div>
        )}
        {!mayDecide && (
          <div className="mb-2">
            <Notice>You may look. A steward or an administrator decides.</Notice>
          </div>
        )}
        {typing ? (
          <Typing
            fields={conflict.fields}
            texts={typing}
            change={setTyping}
            cancel={() => setTyping(null)}
            done={() => take({ take: 'typed', side: null, texts: typing }, 'A value typed by hand')}
          />
        ) : (
          <div className="flex flex-wrap items-center gap-2">
            {answers.map((a, i) => (
              <Button
                key={a.key}
                primary={i === 0}
                keyHint={a.key}
                disabled={!mayDecide || decide.isPending}
                onClick={() => take(a.decision, a.name)}
              >
                {a.name}
              </Button>
            ))}
            {!conflict.isRemoval && (
              <Button
                keyHint="e"
                disabled={!mayDecide}
                onClick={() => setTyping(conflict.fields.map((_, i) => conflict.competing[0]?.values?.[i] ?? ''))}
              >
                Type another
              </Button>
            )}
            <input
              aria-label="Comment, kept with the decision"
              placeholder="Comment"
              maxLength={500}
              value={comment}
              onChange={(e) => setComment(e.target.value)}
              className="h-[30px] w-40 rounded border border-rule bg-sheet px-2.5"
            />
            <span className="ml-auto flex items-center gap-2 text-soft">
              keys <Key>?</Key>
            </span>
          </div>
        )}
      </div>
    </section>
  );
}

/** What a person can answer, in the order of the keys. */
function answersTo({ conflict, record }: ConflictPage): Choice[] {
  if (conflict.isRemoval)
    return [
      { key: '1', name: 'Remove it elsewhere too', decision: { take: 'removeElsewhere', side: null, texts: null } },
      { key: '2', name: 'Create it again', decision: { take: 'createAgain', side: null, texts: null } },
      { key: '3', name: 'Stop following it there', decision: { take: 'forgetLink', side: null, texts: null } },
    ];
  return [
    ...conflict.competing.map((c, i) => ({
      key: String(i + 1),
      name: c.side === null ? 'Take what was decided' : `Take ${record.sides[c.side]?.name}'s`,
      decision: { take: 'side', side: c.side, texts: null },
    })),
    ...(conflict.fields.every((f) => record.fields.find((x) => x.name === f)?.type === 'list')
      ? [{ key: 'c', name: 'Put all together', decision: { take: 'combine', side: null, texts: null } }]
      : []),
    { key: '0', name: 'Keep the one before', decision: { take: 'before', side: null, texts: null } },
  ];
}

function ConflictSpine({ page: { conflict, record } }: { page: ConflictPage }) {
  return (
    <Spine
      caption={`${conflict.title}: the competing values`}
      labelled
      sides={record.sides.map((side) => {
        const member = record.members[side.index];
        const gone = conflict.competing.some((c) => c.side === side.index && !c.values);
        return { side, below: member?.id && !gone ? `${side.collection} / ${member.id}` : 'removed there' };
      })}
      title="Agreed record"
      titleBelow="before this change"
      rows={record.fields.map((f) => {
        const at = conflict.isRemoval ? -1 : conflict.fields.indexOf(f.name);
        return {
          key: f.name,
          label: at >= 0 ? <strong className="font-semibold">≠ {f.name}</strong> : f.name,
          group: f.group,
          tone: at >= 0 ? ('conflict' as const) : undefined,
          spine: f.agreed?.value || <span className="text-soft">empty</span>,
          spineBeside: at >= 0 && at === 0 ? <Key>0</Key> : undefined,
          spineBelow:
            at >= 0 && f.agreed ? (
              <>
                agreed <When at={f.agreed.at} />
                {f.agreed.side !== null && `, from ${record.sides[f.agreed.side]?.name}`}
              </>
            ) : undefined,
          cells: f.cells.map((c, s) => {
            if (c === null) return null;
            const index = conflict.competing.findIndex((x) => x.side === s);
            const member = record.members[s];
            const competes = at >= 0 && index >= 0;
            const value = competes ? conflict.competing[index]?.values?.[at] : c.raw;
            return {
              main: competes ? (
                <strong className="font-semibold">{value || 'empty'}</strong>
              ) : (
                (value ?? <span className="text-soft">empty</span>)
              ),
              below:
                competes && at === 0 ? (
                  <>
                    {member?.changedBy ?? 'changed'}
                    {member?.changedAt && <> · {clock(member.changedAt)}</>}
                  </>
                ) : undefined,
              beside: competes && at === 0 ? <Key>{index + 1}</Key> : undefined,
              gives: c.gives,
              takes: c.takes,
            };
          }),
        };
      })}
    />
  );
}

function Typing(props: {
  fields: string[];
  texts: string[];
  change: (t: string[]) => void;
  cancel: () => void;
  done: () => void;
}) {
  useEffect(() => document.getElementById('typed-0')?.focus(), []);
  return (
    <form
      className="flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        props.done();
      }}
      onKeyDown={(e) => e.key === 'Escape' && props.cancel()}
    >
      {props.fields.map((f, i) => (
        <label key={f} className="block">
          <span className="block text-sm text-soft">{f}</span>
          <input
            id={`typed-${i}`}
            value={props.texts[i]}
            onChange={(e) => props.change(props.texts.map((t, j) => (j === i ? e.target.value : t)))}
            className="h-[30px] w-64 rounded border border-rule bg-sheet px-2.5"
          />
        </label>
      ))}
      <Button primary type="submit">
        Take this
      </Button>
      <Button onClick={props.cancel}>Cancel</Button>
    </form>
  );
}
