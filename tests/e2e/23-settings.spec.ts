import { expect, test, type Page } from '@playwright/test';
import { customers, DEMO, organisations, picture, shared, signIn } from './world';

// People, notices and the list of changes, by the screens; mail goes to the demo world's mailbox, messages to its room.
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());
let first: string;

const mail = async (): Promise<{ to: string; message: string }[]> => (await fetch(`${DEMO}/mail/messages`)).json();
const room = async (): Promise<{ body: string; signed: boolean }[]> => (await fetch(`${DEMO}/room/messages`)).json();

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  page.on('dialog', (d) => void d.accept());
  await signIn(page);
});

test('a person is added, chooses a password of their own, and is signed out from elsewhere', async ({ browser }) => {
  await page.getByRole('button', { name: 'Maren Voll' }).click();
  await page.getByRole('menuitem', { name: /Settings/ }).click();
  await page.getByRole('button', { name: 'Add a person' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Ida Ferrow');
  await page.getByLabel('E-mail', { exact: true }).fill('ida@saltmarsh.example');
  await page.getByRole('button', { name: 'Add and make a first password' }).click();
  first = (await page.getByRole('status').locator('.font-mono').textContent())!;

  const own = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB })).newPage();
  await own.goto('/');
  await own.getByLabel('E-mail', { exact: true }).fill('ida@saltmarsh.example');
  await own.getByLabel('Password').fill(first);
  await own.keyboard.press('Enter');
  await expect(own.getByRole('heading', { name: 'Choose a password of your own' })).toBeVisible();
  await own.getByLabel('The password that you were given').fill(first);
  await own.getByLabel('The new one', { exact: true }).fill('herons wade slowly');
  await own.getByLabel('The new one again').fill('herons wade slowly');
  await own.getByRole('button', { name: 'Change it' }).click();
  await expect(own.getByRole('navigation', { name: 'Main' })).toBeVisible();
  await own.goto('/settings/people');
  await expect(own).toHaveURL(/\/$/); // A steward has no settings.

  await page.reload();
  await page.getByRole('button', { name: 'Ida Ferrow' }).click();
  await page.getByRole('button', { name: 'Sign out' }).click();
  await expect(page.getByText('Signed in nowhere')).toBeVisible();
  await own.reload();
  await expect(own.getByLabel('E-mail', { exact: true })).toBeVisible();
  await own.context().close();
});

test('mail goes out by a server that is set, and a test of it comes', async () => {
  await page.goto('/settings/mail');
  await page.getByLabel('Mail server').fill('127.0.0.1');
  await page.getByLabel('Port').fill(process.env.UPRIGHT_MAIL_PORT!);
  await page.getByLabel('The way there').selectOption('none');
  await page.getByLabel('Mail comes from').fill('mirror@saltmarsh.example');
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByText('Kept.')).toBeVisible();

  await page.goto('/settings/notices');
  await page.getByRole('button', { name: 'Add a notice' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Runs that fail');
  await page.getByLabel('To', { exact: true }).fill('maren@saltmarsh.example');
  await expect(page.getByText('When a run fails, tell maren@saltmarsh.example at once.')).toBeVisible();
  await page.getByLabel('Subject').fill('{mirror}: {colour}');
  await page.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByText(/There is nothing called \{colour\} to tell here/)).toBeVisible();
  await page.getByLabel('Subject').fill('{mirror}: run {run} failed');
  await page.getByRole('button', { name: 'Send a test' }).click();
  await expect(page.getByText('= A test was sent, and taken.')).toBeVisible();
  await page.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByRole('button', { name: 'Runs that fail' })).toBeVisible();
  expect((await mail()).filter((m) => m.message.includes('Test: (mirror): run (run) failed'))).toHaveLength(1);
});

test('a run that fails is told by mail, and to a room; what can’t be sent is told here', async () => {
  test.setTimeout(180_000);
  await page.getByRole('button', { name: 'Add a notice' }).click();
  await page.getByLabel('Name', { exact: true }).fill('To the room');
  await page.getByLabel('Tell them').selectOption('message');
  await page.getByLabel('Address', { exact: true }).fill(`${DEMO}/room`);
  await page.getByLabel('Signed with').fill('whsec of the room');
  await page.getByRole('button', { name: 'Send a test' }).click();
  await expect(page.getByText(/private network/).first()).toBeVisible();
  await page.getByLabel('It may be in a private network').check();
  await page.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByRole('button', { name: 'To the room' })).toBeVisible();

  await fetch(`${DEMO}/faults/api/ballast`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ down: true }) });
  try {
    await page.goto('/mirrors/customers');
    await page.getByRole('button', { name: 'Run now' }).click();
    await expect(page.getByText('Failed.')).toBeVisible({ timeout: 80_000 });
  } finally {
    await fetch(`${DEMO}/faults/api/ballast`, { method: 'DELETE' });
  }
  const run = Number(page.url().split('/').pop());
  await page.getByRole('navigation', { name: 'Of this run' }).getByRole('link', { name: 'Log' }).click();
  await page.getByLabel('Only warnings and errors').check();
  const log = page.getByRole('region', { name: 'Log' }).getByRole('listitem');
  await expect(log.filter({ hasText: 'Run of Customers, version' })).toHaveCount(0);
  await expect(log.last()).toContainText(/error.*Failed\. .*Ballast ERP/);
  const warnings = await log.count();
  await page.getByLabel('Only warnings and errors').uncheck();
  await expect(log.first()).toContainText(`Run of Customers, version`);
  await expect.poll(() => log.count()).toBeGreaterThan(warnings);
  await expect(page.getByRole('region', { name: 'Where its time went' })).toContainText('collecting');
  await picture(page, 'run-log');
  await expect.poll(async () => (await mail()).filter((m) => m.message.includes(`Customers: run ${run} failed`)).length, { timeout: 30_000 }).toBe(1);
  await expect.poll(async () => (await room()).filter((m) => m.signed && m.body.includes(`Customers: run ${run} failed`)).length, { timeout: 30_000 }).toBe(1);
  await page.goto('/settings/notices');
  await expect(page.getByRole('region', { name: 'What was told' }).getByText(`Customers: run ${run} failed`).first()).toBeVisible();
  await picture(page, 'notices');
});

test('every change stands in the list, with who and when, and no secret', async () => {
  await page.goto('/settings/changes');
  for (const what of ['added a person', 'changed how mail goes out', 'added a notice']) await expect(page.getByRole('cell', { name: what }).first()).toBeVisible();
  await page.getByLabel(/Find a change/).fill('signed the person');
  await expect(page.getByRole('row').filter({ hasText: 'signed the person' })).toHaveCount(1);
  expect(await (await page.request.get('/api/setting-changes')).text()).not.toContain('whsec of the room');
  await picture(page, 'changes');
});

test('a search is kept by a name, and comes as a file', async () => {
  await page.goto('/records?mirror=customers&only=conflict');
  await page.getByRole('button', { name: 'Keep this view…' }).click();
  await page.getByLabel('A name for this view').fill('Customers in dispute');
  await page.keyboard.press('Enter');
  await page.goto('/records');
  await page.getByRole('link', { name: 'Customers in dispute' }).click();
  await expect(page).toHaveURL(/only=conflict/);
  await page.goto('/records?mirror=customers');
  const file = page.waitForEvent('download');
  await page.getByRole('link', { name: 'CSV' }).click();
  const lines = (await (await (await file).createReadStream()).toArray()).join('').split('\r\n');
  expect(lines[0]).toMatch(/^\uFEFF?Customers,Slipway CRM,Ballast ERP/);
  const total = (await (await page.request.get('/api/records?mirror=customers')).json()).total;
  expect(lines.filter(Boolean).length).toBeGreaterThanOrEqual(total + 1);
});

test('a reader sees nobody’s address or telephone number, whatever they ask for', async ({ browser }) => {
  test.setTimeout(180_000);
  const reader = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(reader, 'ada@saltmarsh.example', 'look-only-please');
  const personal = new Set<string>();
  for (const o of await organisations()) for (const v of [o.email, o.phoneMain, o.address.street]) if (v && v.length > 5) personal.add(v);
  for (const c of await customers()) for (const v of [c.EMail, c.TelephoneNo, c.Street]) if (v && v.length > 5) personal.add(v);
  const seenIn = (text: string) => [...personal].filter((v) => text.includes(v) || text.includes(JSON.stringify(v).slice(1, -1)));

  // Every address that gives something to read, with what there is to put into it.
  const read = async (path: string) => (await page.request.get(path)).json();
  const mirrors = ((await read('/api/mirrors')) as { key: string }[]).map((m) => m.key);
  const systems = ((await read('/api/systems')) as { system: string }[]).map((s) => s.system);
  const runs = ((await read('/api/runs')) as { id: number }[]).slice(0, 25).map((r) => String(r.id));
  const conflicts = ((await read('/api/conflicts')) as { id: number }[]).slice(0, 5).map((c) => String(c.id));
  const alike = ((await read('/api/look-alikes')).rows as { id: number }[]).slice(0, 3).map((r) => String(r.id));
  const links: string[] = [];
  for (const m of mirrors) links.push(...((await read(`/api/records?mirror=${m}&count=3`)).rows as { link: string }[]).map((r) => r.link));
  const fill = (path: string): string[] =>
    path.includes('{link}') ? links.map((l) => path.replace('{link}', l))
    : path.startsWith('/api/mirrors/{key}') ? mirrors.map((m) => path.replace('{key}', m))
    : path.startsWith('/api/systems/{key}') ? systems.flatMap((s) => (path.includes('{id}') ? [] : [path.replace('{key}', s)]))
    : path.startsWith('/api/runs/{id}') ? runs.map((r) => path.replace('{id}', r))
    : path.startsWith('/api/conflicts/{id}') ? conflicts.map((c) => path.replace('{id}', c))
    : path.startsWith('/api/look-alikes/{id}') ? alike.map((a) => path.replace('{id}', a))
    : path === '/api/records.csv' ? mirrors.map((m) => `${path}?mirror=${m}`)
    : path === '/api/records' ? mirrors.map((m) => `${path}?mirror=${m}&count=500`)
    : path.includes('{') ? [] : [path];
  const api = await read('/api/openapi.json');
  const addresses = Object.entries(api.paths as Record<string, object>).filter(([p, on]) => 'get' in on && p !== '/api/changes').flatMap(([p]) => fill(p));
  expect(addresses.length).toBeGreaterThan(60);
  const told: string[] = [];
  let personalToOthers = 0;
  for (const address of addresses) {
    const answer = await reader.request.get(address);
    expect([200, 400, 403, 404], address).toContain(answer.status());
    told.push(...seenIn(await answer.text()).map((v) => `${address}: ${v}`));
    if (answer.status() === 200 && seenIn(await (await page.request.get(address)).text()).length > 0) personalToOthers++;
  }
  expect(told).toEqual([]);
  // What an administrator is told at the same addresses shows that the search finds such things.
  expect(personalToOthers).toBeGreaterThan(10);

  await reader.goto(`/records/${(await shared(page, 5)).link}`);
  await expect(reader.getByText('Personal values show their first letter only: you are a reader.')).toBeVisible();
  await expect(reader.getByRole('row', { name: /Telephone/ })).toContainText('•••');
  await picture(reader, 'reader-record');
  await reader.context().close();
});
