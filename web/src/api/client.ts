import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema.gen';

type Schemas = components['schemas'];
export type Session = Schemas['Session'];
export type Today = Schemas['Today'];
export type Need = Schemas['NeedShown'];
export type MirrorToday = Schemas['MirrorToday'];
export type MirrorRow = Schemas['MirrorRow'];
export type MirrorPage = Schemas['MirrorPage'];
export type Side = Schemas['SideShown'];
export type Field = Schemas['FieldShown'];
export type Cell = Schemas['CellShown'];
export type RecordList = Schemas['RecordList'];
export type RecordPage = Schemas['RecordPage'];
export type Line = Schemas['LineShown'];
export type LineValue = Schemas['LineValueShown'];
export type Pointed = Schemas['PointedShown'];
export type PointingAt = Schemas['PointingShown'];
export type Entry = Schemas['EntryShown'];
export type ConflictRow = Schemas['ConflictRow'];
export type ConflictPage = Schemas['ConflictPage'];
export type Decision = Schemas['DecisionAsked'];
export type Alike = Schemas['AlikeShown'];
export type RulePage = Schemas['RulePage'];
export type RuleAsked = Schemas['RuleAsked'];
export type DecideAlike = Schemas['DecideAlikeAsked'];
export type LookAlikeRow = Schemas['LookAlikeRow'];
export type LookAlikePage = Schemas['LookAlikePage'];
export type AlikePair = Schemas['AlikePair'];
export type AlikeRecord = Schemas['AlikeRecord'];
export type Judged = Schemas['JudgedShown'];
export type Candidate = Schemas['CandidateShown'];
export type LikenessForm = Schemas['LikenessForm'];
export type RecognisingTried = Schemas['RecognisingTried'];
export type SampledPair = Schemas['SampledPair'];
export type Hold = Schemas['HoldShown'];
export type LeftOut = Schemas['LeftOutShown'];
export type Undone = Schemas['UndoneShown'];
export type UndoRehearsed = Schemas['UndoRehearsed'];
export type Guards = Schemas['GuardsShown'];
export type Run = Schemas['RunShown'];
export type LookupAsked = Schemas['LookupAsked'];
export type LookupPage = Schemas['LookupPage'];
export type Check = Schemas['CheckShown'];
export type CheckForm = Schemas['CheckForm'];
export type ChecksPage = Schemas['ChecksPage'];
export type Flag = Schemas['FlagShown'];
export type RunPage = Schemas['RunPage'];
export type Keeping = Schemas['LogKeeping'];
export type System = Schemas['SystemShown'];
export type SystemPage = Schemas['SystemPage'];
export type Step = Schemas['StepShown'];
export type ConnectionAsked = Schemas['ConnectionAsked'];
export type ConnectionSettings = Schemas['ConnectionSettings'];
export type CollectionSettings = Schemas['CollectionSettings'];
export type Paging = Schemas['Paging'];
export type CollectionFound = Schemas['CollectionFound'];
export type DescriptionFound = Schemas['DescriptionFound'];
export type CollectionOfSystem = Schemas['CollectionOfSystem'];
export type FieldOfSystem = Schemas['FieldOfSystem'];
export type ChangeOfSystem = Schemas['ChangeShown'];
export type Survey = Schemas['SurveyState'];
export type CellForm = Schemas['CellForm'];
// That an item of a list may be null is lost in the API's document.
export type FieldForm = Omit<Schemas['FieldForm'], 'cells' | 'lines'> & {
  cells: (CellForm | null)[];
  lines?: LinesForm | null;
};
export type LinesForm = Omit<Schemas['LinesForm'], 'fields'> & { fields: FieldForm[] };
export type DraftPage = Omit<Schemas['DraftPage'], 'fields' | 'samples' | 'agreed'> & {
  fields: FieldForm[];
  samples: (string | null)[][];
  agreed: (string | null)[];
};
export type MirrorTiming = Schemas['TimingForm'];
export type TimingKind = MirrorTiming['kind'];
export type DayOfWeek = Schemas['DayOfWeek'];
export type ScopeRows = Schemas['ConditionsForm'];
export type ScopeRow = Schemas['ConditionForm'];
export type ScopeTest = ScopeRow['test'];
export type ScopeShown = Schemas['ScopeShown'];
export type VersionShown = Schemas['VersionShown'];
export type Comparison = Schemas['Comparison'];
export type MirrorChange = Schemas['MirrorChange'];
export type DraftSettings = Schemas['DraftSettings'];
export type Finding = Schemas['FindingShown'];
export type UnknownForm = Schemas['UnknownForm'];
export type CodeListShown = Schemas['CodeListShown'];
export type CodeListAsked = Schemas['CodeListAsked'];
export type CodesSeen = Schemas['CodesSeen'];
export type RecordTried = Schemas['RecordTried'];
export type FormulaFunction = Schemas['FunctionShown'];
export type RefusedSuggestion = Schemas['RefusedSuggestion'];
export type NewMirrorAsked = Schemas['NewMirror'];
export type DraftAsked = Omit<Schemas['DraftAsked'], 'fields'> & { fields: FieldForm[] };
export type DraftSent = Schemas['DraftAsked'];
export type ConversionForm = Schemas['ConversionForm'];
export type Tried = Schemas['TryShown'];
export type LearnExample = Schemas['LearnExample'];
export type Suggestion = Schemas['SuggestionShown'];
export type EventsShown = Schemas['EventsShown'];
export type EventsAsked = Schemas['EventsAsked'];
export type FileShown = Schemas['FileShown'];
export type SystemToMatch = Schemas['SystemToMatch'];
export type InboxShown = Schemas['InboxShown'];
export type InboxEventShown = Schemas['InboxEventShown'];
export type RehearsedHeld = Schemas['RehearsedHeld'];
export type NoticeForm = Schemas['NoticeForm'];
export type NoticePage = Schemas['NoticePage'];
export type NoticeRule = Schemas['NoticeRuleShown'];
export type NoticeSent = Schemas['NoticeShown'];
export type NoticeKind = NoticeForm['kind'];
export type SiteForm = Schemas['SiteForm'];
export type Person = Schemas['PersonShown'];
export type PersonAsked = Schemas['PersonAsked'];
export type SettingChange = Schemas['SettingChangeShown'];
export type InboxAsked = Schemas['InboxAsked'];

/** What the server said instead of an answer, in words for the person. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

let token = '';

/** Remembers the token that every change must carry. */
export function rememberToken(session: Session | null) {
  token = session?.token ?? '';
}

const withToken: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-Upright-Token', token);
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return response;
    const problem = (await response
      .clone()
      .json()
      .catch(() => null)) as { title?: string; detail?: string } | null;
    const words = problem?.title ? [problem.title, problem.detail].filter(Boolean).join(' ') : null;
    throw new Refusal(response.status, words ?? defaultWords(response.status));
  },
  onError() {
    return new Refusal(
      0,
      'Upright Mirror itself does not answer. Check that it is running; this page tries again by itself.',
    );
  },
};

function defaultWords(status: number) {
  if (status === 401) return 'You are not signed in.';
  if (status === 403) return 'Your role does not allow this. An administrator can change it.';
  if (status === 404) return 'There is nothing here any more.';
  if (status === 429) return 'That was too often. Wait a minute, then try again.';
  return `Upright Mirror answered with an error of its own (${status}). Try again; if it stays, look at its log.`;
}

export const client = createClient<paths>({ baseUrl: window.location.origin });
client.use(withToken);

/** The data of an answer that went well; anything else was thrown. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}

/** Reads an answer that comes line by line, each a JSON object, and tells each as soon as it is there. */
export async function lines<T>(path: string, body: unknown, tell: (line: T) => void, signal: AbortSignal) {
  const response = await fetch(path, {
    method: 'POST',
    headers: { 'X-Upright-Token': token, 'Content-Type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
    signal,
  });
  if (!response.ok || !response.body) {
    const problem = (await response.json().catch(() => null)) as { title?: string } | null;
    throw new Refusal(response.status, problem?.title ?? defaultWords(response.status));
  }
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = '';
  for (;;) {
    const { done, value } = await reader.read();
    rest += value ?? '';
    const whole = rest.split('\n');
    rest = whole.pop() ?? '';
    for (const line of whole) if (line) tell(JSON.parse(line) as T);
    if (done) return;
  }
}
