import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { expect, type Page } from '@playwright/test';
import { DEMO } from './world';

/** The systems as their own staff and other programs use them, over their own addresses; and the product as somebody who scripts against it. */

/** How the ERP is signed in to. */
export const OFFICE = { authorization: `Basic ${btoa('UPRIGHT-SVC:ballast-demo-20931')}`, 'content-type': 'application/json' };

let granted: Promise<string> | null = null;
const token = () =>
  (granted ??= fetch(`${DEMO}/slipway/oauth/token`, {
    method: 'POST',
    body: new URLSearchParams({ grant_type: 'client_credentials', client_id: 'upright-mirror', client_secret: 'slip-4417-demo' }),
  }).then(async (r) => (await r.json()).access_token));

/** A call of the CRM's own API: with a body it posts, unless told otherwise. It takes twenty a second, and its tokens end. */
export async function crm<T>(path: string, body?: unknown, method = body ? 'POST' : 'GET'): Promise<T> {
  for (;;) {
    const answer = await fetch(`${DEMO}/slipway/api${path}`, {
      method,
      headers: { authorization: `Bearer ${await token()}`, 'content-type': 'application/json' },
      body: body ? JSON.stringify(body) : undefined,
    });
    if (answer.status === 401) granted = null;
    else if (answer.status === 429) await new Promise((on) => setTimeout(on, 1100));
    else {
      expect(answer.ok, `${path}: ${answer.status}`).toBe(true);
      return answer.json();
    }
  }
}

/** A collection of the CRM, whole. */
export async function allInCrm<T>(collection: string): Promise<T[]> {
  const found: T[] = [];
  for (let cursor: string | null = ''; cursor !== null; ) {
    const got: { items: T[]; nextCursor?: string } = await crm(`/${collection}${cursor ? `?cursor=${encodeURIComponent(cursor)}` : ''}`);
    found.push(...got.items);
    cursor = got.nextCursor ?? null;
  }
  return found;
}

/** A collection of the ERP, or what a query finds of it, whole. */
export async function allInErp<T>(query: string): Promise<T[]> {
  const found: T[] = [];
  for (let next: string | undefined = `${DEMO}/ballast/odata/${query}`; next; ) {
    const got: { value: T[]; '@odata.nextLink'?: string } = await (await fetch(next, { headers: OFFICE })).json();
    found.push(...got.value);
    next = got['@odata.nextLink'];
  }
  return found;
}

/** What the mail system answers. It takes five calls a second, the product's among them, and is closed for a while after more. */
export async function mail<T>(path: string): Promise<T> {
  for (let tries = 0; ; tries++) {
    const answer = await fetch(`${DEMO}/pennant/api${path}`, { headers: { 'X-Pennant-Key': 'pennant-7731-demo' } });
    if (answer.ok || tries > 20) {
      expect(answer.ok, `${path}: ${answer.status}`).toBe(true);
      return answer.json();
    }
    await new Promise((on) => setTimeout(on, 1100));
  }
}

/** Types into a form of a system's own page, and saves it. */
export async function typed(path: string, fields: Record<string, string>): Promise<string> {
  const answer = await fetch(`${DEMO}${path}`, { method: 'POST', body: new URLSearchParams({ user: 'Hanne Lunde', ...fields }), redirect: 'manual' });
  expect([302, 303], path).toContain(answer.status);
  return answer.headers.get('location')!;
}

export const fault = (system: string, what: object) =>
  fetch(`${DEMO}/faults/api/${system}`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify(what) });

/** Every system answers as it should again. */
export async function noFaults() {
  for (const system of ['slipway', 'ballast', 'pennant']) await fetch(`${DEMO}/faults/api/${system}`, { method: 'DELETE' });
}

/** A command of the product, and what it printed, however it ended. */
export async function upright(...args: string[]): Promise<string> {
  const said = await promisify(execFile)('dotnet', [process.env.UPRIGHT_CLI!, ...args], { maxBuffer: 1e8 }).catch((e: { stdout: string }) => e);
  return said.stdout;
}

/** The product over its own API, as the person who is signed in on a page. */
export class Product {
  private token = '';

  constructor(private readonly page: Page) {}

  async get<T>(path: string): Promise<T> {
    return (await this.page.request.get(`/api/${path}`)).json();
  }

  async headers() {
    this.token ||= (await this.get<{ token: string }>('session')).token;
    return { 'X-Upright-Token': this.token };
  }

  /** Leaves mirrors to the test alone: they run by hand, and no guard pauses them. */
  async byHand(...mirrors: string[]) {
    for (const mirror of mirrors) {
      await this.page.request.put(`/api/mirrors/${mirror}/state`, { data: { state: 'live' }, headers: await this.headers() });
      await this.page.request.put(`/api/mirrors/${mirror}/guards`, {
        data: { creations: null, changes: null, removals: null, emptiedFields: null },
        headers: await this.headers(),
      });
    }
  }

  /** Runs a mirror to its end, however that is; waits for a run that is going on already. */
  async run(mirror: string) {
    let run = 0;
    await expect
      .poll(
        async () => {
          const answer = await this.page.request.post(`/api/mirrors/${mirror}/runs`, { headers: await this.headers() });
          if (answer.ok()) run = (await answer.json()).run;
          return answer.ok();
        },
        { timeout: 60_000 },
      )
      .toBe(true);
    await expect.poll(async () => (await this.state(run)).state, { timeout: 120_000, intervals: [50] }).not.toBe('running');
    return { id: run, ...(await this.state(run)) };
  }

  async state(run: number) {
    return (await this.get<{ run: { state: string; reason: string | null; counts: Record<string, number> } }>(`runs/${run}`)).run;
  }
}
