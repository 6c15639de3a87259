import { expect, test, type Page } from '@playwright/test';
import { createInSlipway, customers, DEMO, editInBallast, editInSlipway, organisations, picture, runNow, shared, signIn } from './world';

// What went wrong overnight, dealt with in the morning from Today, one click each.
test.describe.configure({ mode: 'serial' });
let page: Page;
let conflict: Awaited<ReturnType<typeof shared>>;
let held: Awaited<ReturnType<typeof shared>>;
let twice: { id: string; name: string };

const fault = (system: string, what: object | null) =>
  fetch(`${DEMO}/faults/api/${system}`, what ? { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify(what) } : { method: 'DELETE' });
type Need = { kind: string; subject: string; text: string; address: string; action: string };
const needs = async (): Promise<Need[]> => (await (await page.request.get('/api/today')).json()).needs;
/** Of one kind, the line on Today that tells of something. */
async function follow(kind: string, tells: (n: Need) => boolean = () => true) {
  await page.goto('/');
  const need = (await needs()).find((n) => n.kind === kind && tells(n));
  expect(need, `${kind} is told on Today`).toBeTruthy();
  const line = page.getByRole('listitem').filter({ hasText: need!.subject }).filter({ has: page.locator(`a[href="${need!.address}"]`) }).first();
  await expect(line).toBeVisible();
  await line.getByRole('link', { name: need!.action }).click();
  await expect(page).toHaveURL(new RegExp(`${need!.address}$`));
}
const waiting = async (): Promise<{ id: number; mirror: string; title: string; system: string | null }[]> => (await (await page.request.get('/api/look-alikes')).json()).rows;
const open = async (): Promise<{ id: number; link: string; fields: string[] }[]> => (await page.request.get('/api/conflicts')).json();

test.beforeAll(async ({ browser }) => {
  test.setTimeout(240_000);
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  page.on('dialog', (d) => void d.accept());
  await signIn(page);
  [conflict, held] = [await shared(page, 17), await shared(page, 21)];
  await editInSlipway(page, conflict.slipway, 'Main telephone', '+44 131 496 0701');
  await editInBallast(page, conflict.ballast, 'TELEPHONE NO', '+441314960702');
  await editInSlipway(page, held.slipway, 'Main telephone', 'ring the boathouse');
  const there = (await organisations()) as unknown as { id: string; name: string; email: string | null; phoneMain: string | null; address: Record<string, string> }[];
  const one = there.filter((o) => o.email && o.phoneMain && o.address.street && ![conflict.slipway, held.slipway].includes(o.id)).at(45)!;
  twice = await createInSlipway({ name: one.name.replace(/(\w{3})(\w)/, '$1'), phoneMain: one.phoneMain, address: one.address });
  await runNow(page);
  await fault('ballast', { down: true });
  await page.goto('/mirrors/customers');
  await page.getByRole('button', { name: 'Run now' }).click();
  await expect(page).toHaveURL(/\/runs\/\d+/);
  await expect(page.getByText('Failed.')).toBeVisible({ timeout: 80_000 });
});
test.afterAll(async () => {
  await fault('ballast', null);
  await page?.context().close();
});

test('the morning tells of all of it', async () => {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Needs you' })).toBeVisible();
  expect(new Set((await needs()).map((n) => n.kind))).toEqual(new Set(['system', 'failed', 'conflict', 'lookAlike', 'held', ...(await needs()).map((n) => n.kind)]));
  await picture(page, 'day-morning');
});

test('the system that is down: looked at, mended, and seen to answer', async () => {
  await follow('system', (n) => n.subject === 'Ballast ERP');
  await expect(page.getByRole('heading', { name: 'Ballast ERP' })).toBeVisible();
  await picture(page, 'day-system');
  await fault('ballast', null);
  await page.goto('/systems/ballast/connection');
  await page.getByRole('button', { name: /Test/ }).first().click();
  await expect(page.getByText('passed', { exact: true })).toHaveCount(7, { timeout: 60_000 });
});

test('the run that failed: looked at, and run again', async () => {
  await follow('failed', (n) => n.subject.startsWith('Customers'));
  await expect(page.getByText('Failed.')).toBeVisible();
  await page.getByRole('heading', { level: 1 }).getByRole('link').click();
  await page.getByRole('button', { name: 'Run now' }).click();
  await expect(page).toHaveURL(/\/runs\/\d+/);
  await expect(page.getByText(/records read/)).toBeVisible({ timeout: 80_000 });
  expect((await needs()).filter((n) => n.kind === 'failed' && n.subject.startsWith('Customers'))).toEqual([]);
  await expect.poll(async () => (await needs()).filter((n) => n.kind === 'system' && n.subject === 'Ballast ERP').length).toBe(0);
});

test('the held record: put right where it is held, and tried again at once', async () => {
  await follow('held', (n) => n.address === '/held');
  const line = page.getByRole('listitem').filter({ hasText: held.title }).filter({ hasText: 'ring the boathouse' });
  await line.getByRole('button', { name: `Put ${held.title} right` }).click();
  const form = page.getByRole('form', { name: `Put ${held.title} right` });
  await expect(form.getByText('Now: “ring the boathouse”.')).toBeVisible();
  await form.getByLabel('The right Telephone').fill('+44 131 496 0555');
  await picture(page, 'day-put-right');
  await form.getByRole('button', { name: 'Put it right' }).click();
  await expect.poll(async () => (await customers()).find((c) => c.CustomerNo === held.ballast)!.TelephoneNo, { timeout: 60_000 }).toBe('01314960555');
  expect((await organisations()).find((o) => o.id === held.slipway)!.phoneMain).toBe('+44 131 496 0555');
});

test('the conflict: decided by a key', async () => {
  await follow('conflict');
  const mine = (await open()).find((c) => c.link === conflict.link)!;
  // The oldest one is shown first; this one is among those that stand beside it.
  await page.getByRole('navigation', { name: 'Conflicts' }).getByRole('link', { name: conflict.title }).first().click();
  await expect(page).toHaveURL(new RegExp(`/conflicts/${mine.id}$`));
  await expect(page.getByRole('heading', { name: conflict.title })).toBeVisible();
  await page.keyboard.press('2');
  await expect.poll(async () => (await open()).some((c) => c.id === mine.id)).toBe(false);
});

test('the look-alike: put to a person, who says that it is the same', async () => {
  await follow('lookAlike');
  await expect(page.getByRole('heading', { name: /Look-alikes/ }).first()).toBeVisible();
  const rows = (await waiting()).filter((r) => r.mirror === 'customers');
  let mine: number | null = null;
  let within = false;
  for (const r of rows) {
    const pair = await (await page.request.get(`/api/look-alikes/${r.id}`)).json();
    if (!pair.records.some((x: { id: string }) => x.id === twice.id)) continue;
    mine = r.id;
    within = r.system !== null;
  }
  expect(mine).not.toBeNull();
  await page.goto(`/look-alikes/${mine}`);
  await expect(page.getByText(twice.id, { exact: false }).first()).toBeVisible();
  await picture(page, 'day-look-alike');
  // Of two in one system one is kept; two in different systems are the same.
  await page.keyboard.press(within ? '1' : 's');
  await expect.poll(async () => (await (await page.request.get(`/api/look-alikes/${mine}`)).json()).pairs?.some((p: { id: number }) => p.id === mine) ?? false).toBe(false);
});

test('the next run does what was decided, and nothing of it waits any more', async () => {
  await runNow(page);
  expect((await organisations()).find((o) => o.id === conflict.slipway)!.phoneMain).toBe('+44 131 496 0702');
  await page.goto('/');
  await picture(page, 'day-evening');
  const left = await needs();
  expect(left.filter((n) => n.kind === 'system' || n.kind === 'failed').filter((n) => /Ballast|Customers/.test(n.subject))).toEqual([]);
  expect((await open()).filter((c) => c.link === conflict.link)).toEqual([]);
  expect((await (await page.request.get('/api/held')).json()).holds.filter((h: { link: string | null }) => h.link === held.link)).toEqual([]);
});
