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
export type Entry = Schemas['EntryShown'];
export type ConflictRow = Schemas['ConflictRow'];
export type ConflictPage = Schemas['ConflictPage'];
export type Decision = Schemas['DecisionAsked'];
export type Hold = Schemas['HoldShown'];
export type Run = Schemas['RunShown'];
export type RunPage = Schemas['RunPage'];
export type System = Schemas['SystemShown'];

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
