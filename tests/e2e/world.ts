import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

/** What the tests know of the processes that run: the product's address, and the demo world's. */
export const DEMO = process.env.UPRIGHT_DEMO!;

export type Organisation = { id: string; name: string; email: string | null; phoneMain: string | null; address: { street: string | null } };
export type Customer = { CustomerNo: string; CustomerName: string; EMail: string | null; TelephoneNo: string | null; Street: string | null };

/** What tells one company from another in both systems: its e-mail address, or its name where nobody knows one. */
export const keyOf = (email: string | null, name: string) => (email ?? name).toLowerCase();

export async function signIn(page: Page, email = 'maren@saltmarsh.example', password = 'tide-and-timber') {
  await page.goto('/');
  await page.getByLabel('E-mail').fill(email);
  await page.getByLabel('Password').fill(password);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('navigation', { name: 'Main' })).toBeVisible();
}

/** Runs the mirror from its page and waits until the run's own page says how it ended. */
export async function runNow(page: Page) {
  await page.goto('/mirrors/customers');
  await page.getByRole('button', { name: 'Run now' }).click();
  await expect(page).toHaveURL(/\/runs\/\d+/);
  await expect(page.getByText(/records read/)).toBeVisible({ timeout: 80_000 });
}

/** Has the check of the people looked at by now: by itself it looks some seconds after a run, and what it flags is for the next run to write. */
export async function lookedAt(page: Page) {
  await page.goto('/mirrors/people/checks');
  // Where it looks by itself at this moment, that is to be over first.
  await expect(async () => {
    const looked = page.waitForResponse((r) => r.request().method() === 'POST' && r.url().endsWith('/look'));
    await page.getByRole('button', { name: 'Look now' }).click();
    expect((await looked).status()).toBe(204);
  }).toPass({ timeout: 30_000 });
}

async function slipwayToken(): Promise<string> {
  const form = new URLSearchParams({ grant_type: 'client_credentials', client_id: 'upright-mirror', client_secret: 'slip-4417-demo' });
  return (await (await fetch(`${DEMO}/slipway/oauth/token`, { method: 'POST', body: form })).json()).access_token;
}

/** Enters a new organisation in the CRM, as its own staff would. */
export async function createInSlipway(body: object) {
  const token = await slipwayToken();
  const send = () =>
    fetch(`${DEMO}/slipway/api/organisations`, { method: 'POST', headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' }, body: JSON.stringify(body) });
  let answer = await send();
  // The CRM takes twenty calls a second, and asks to wait.
  for (; answer.status === 429; answer = await send()) await new Promise((on) => setTimeout(on, 1000 * Number(answer.headers.get('retry-after') ?? 1)));
  expect(answer.status).toBe(201);
  return answer.json();
}

/** What the CRM holds, over its own API. */
export async function organisations(): Promise<Organisation[]> {
  const token = await slipwayToken();
  const all: Organisation[] = [];
  for (let cursor: string | null = ''; cursor !== null; ) {
    const page = await (
      await fetch(`${DEMO}/slipway/api/organisations${cursor ? `?cursor=${encodeURIComponent(cursor)}` : ''}`, { headers: { authorization: `Bearer ${token}` } })
    ).json();
    all.push(...page.items);
    cursor = page.nextCursor ?? null;
  }
  return all;
}

/** What the ERP holds, over its own service. */
export async function customers(): Promise<Customer[]> {
  const authorization = `Basic ${btoa('UPRIGHT-SVC:ballast-demo-20931')}`;
  const all: Customer[] = [];
  for (let next: string | undefined = `${DEMO}/ballast/odata/Customers`; next; ) {
    const page: { value: Customer[]; '@odata.nextLink'?: string } = await (await fetch(next, { headers: { authorization } })).json();
    all.push(...page.value);
    next = page['@odata.nextLink'];
  }
  return all;
}

/** A record that both systems hold, with its ids in each. */
export async function shared(page: Page, nth: number): Promise<{ link: string; title: string; slipway: string; ballast: string }> {
  const list = await (await page.request.get('/api/records?count=200')).json();
  const row = list.rows.filter((r: { ids: (string | null)[] }) => r.ids[0] && r.ids[1])[nth];
  return { link: row.link, title: row.title, slipway: row.ids[0], ballast: row.ids[1] };
}

/** Customers of the CRM that may have been entered twice: they wait for a person, and are created nowhere meanwhile. */
export async function doubted(page: Page): Promise<Set<string>> {
  const rows = (await (await page.request.get('/api/look-alikes')).json()).rows as { id: number; mirror: string }[];
  const pages = await Promise.all(rows.filter((r) => r.mirror === 'customers').map(async (r) => (await page.request.get(`/api/look-alikes/${r.id}`)).json()));
  return new Set(pages.flatMap((p) => p.records.filter((r: { link: string | null }) => r.link === null).map((r: { id: string }) => r.id)));
}

/** Edits one field on a system's own page, as its own staff does. */
export async function editInSlipway(page: Page, id: string, label: string, value: string) {
  await page.goto(`${DEMO}/slipway/organisations/${id}`);
  await page.getByLabel(label).fill(value);
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
}

export async function editInBallast(page: Page, id: string, label: string, value: string) {
  await page.goto(`${DEMO}/ballast/customers/${id}`);
  await page.getByLabel(label, { exact: true }).fill(value);
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
}

/** A picture of what is on the screen, to look at; only where somebody asks for pictures. */
export async function picture(page: Page, name: string) {
  if (process.env.UPRIGHT_PICTURES) await page.screenshot({ path: `${process.env.UPRIGHT_PICTURES}/${name}.png` });
}

/** What is on the screen can be used by everyone, as far as axe can tell. */
export async function forEveryone(page: Page, where = '') {
  const found = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
  expect(found.violations.map((v) => `${where}${v.id}: ${v.nodes.map((n) => n.html.slice(0, 120)).join(' | ')}`)).toEqual([]);
}
