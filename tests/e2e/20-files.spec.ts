import { readFile } from 'node:fs/promises';
import { expect, test, type Page } from '@playwright/test';
import { forEveryone, picture, signIn } from './world';

// Mirrors leave the workspace as a file that a person can read, and come in again, with every mistake of a hand told by its line.
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());
let text: string;

const choose = (content: string) => page.getByLabel(/Choose a file|Another file/).setInputFiles({ name: 'customers.yaml', mimeType: 'application/yaml', buffer: Buffer.from(content) });

test.beforeAll(async ({ browser }) => {
  test.setTimeout(300_000);
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
  for (const system of ['slipway', 'ballast']) {
    await page.goto(`/systems/${system}`);
    const again = page.getByRole('button', { name: /Read the catalogue/ });
    await again.click();
    await expect(again).toBeEnabled({ timeout: 120_000 });
  }
});

test('all mirrors are taken out as one file, which holds no secret and no address', async () => {
  await page.goto('/mirrors');
  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Take out as a file' }).click();
  const all = await readFile(await (await download).path(), 'utf8');
  for (const mirror of ['Customers', 'People', 'Products']) expect(all).toContain(`name: ${mirror}`);
  for (const hidden of ['slip-4417-demo', 'ballast-demo-20931', 'pennant-7731-demo', '127.0.0.1']) expect(all).not.toContain(hidden);
  text = await (await page.request.get('/api/mirrors/file?mirror=customers')).text();
});

test('mistakes made by hand are told with their lines, and nothing is brought in', async () => {
  await page.getByRole('link', { name: 'Bring in a file' }).click();
  const wrong = text.replace('recordType: customer', 'recordKind: customer').replace('mayCreate: false', 'mayCreate: perhaps');
  await choose(wrong);
  const line = (part: string) => wrong.slice(0, wrong.indexOf(part)).split('\n').length;
  const problems = page.getByRole('region', { name: 'What is wrong' }).or(page.getByRole('alert'));
  await expect(problems.getByText(`line ${line('recordKind')}`, { exact: true })).toBeVisible();
  await expect(problems.getByText('recordKind is not known here')).toBeVisible();
  await expect(problems.getByText(`line ${line('mayCreate: perhaps')}`, { exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Bring in as drafts' })).toHaveCount(0);
  await picture(page, 'file-wrong');
  await forEveryone(page);
});

test('a mirror comes in as a draft, on the connections that a person says', async () => {
  await choose(text);
  await expect(page.getByText('A mirror of this name is here already')).toBeVisible();
  await choose(text.replace('key: customers', 'key: customers-again').replace('name: Customers', 'name: Customers again'));
  await expect(page.getByText('Customers again')).toBeVisible();
  // Where two connections look the same, nothing is filled in: a person says which it is.
  for (const [name, system] of [['Slipway CRM', 'slipway'], ['Ballast ERP', 'ballast'], ['Pennant Mail', 'pennant'], ['Drop folder', 'drop']]) await page.getByLabel(`${name} is`).selectOption(system!);
  await expect(page.getByText(/All \d+ fields that the mirrors use are there/).first()).toBeVisible();
  await picture(page, 'file');
  await forEveryone(page);
  await page.getByRole('button', { name: 'Bring in as drafts' }).click();
  await expect(page).toHaveURL(/\/mirrors\/customers-again/);
  await expect(page.getByText('draft, not published yet')).toBeVisible();
  const draft = (key: string) => page.request.get(`/api/mirrors/${key}/draft`).then((r) => r.json());
  const [here, there] = [await draft('customers-again'), await draft('customers')];
  expect(here.fields).toEqual(there.fields);
  expect(here.what).toBe('Bring it in from a file');
});

test('a new mirror begins from one that ships with the product, without a side that is not here', async () => {
  await page.goto('/mirrors/new');
  const ready = page.getByRole('region', { name: 'Begin from one that is ready' });
  await expect(ready.getByRole('listitem')).toHaveCount(5);
  await expect(ready.getByRole('listitem').filter({ hasText: 'Customers' })).toContainText('a mirror of this name is here already');
  await picture(page, 'file-templates');
  await forEveryone(page);
  await ready.getByRole('link', { name: 'Begin from Customers' }).click();
  await expect(page.getByText('customers.yaml, which ships with the product')).toBeVisible();
  await expect(page.getByLabel('Drop folder is')).toBeVisible();
  await page.getByLabel(/This one is called here/).fill('Customers here');
  for (const [name, system] of [['Slipway CRM', 'slipway'], ['Ballast ERP', 'ballast'], ['Pennant Mail', ''], ['Drop folder', '']]) await page.getByLabel(`${name} is`).selectOption(system!);
  await picture(page, 'file-without');
  await page.getByRole('button', { name: 'Bring in as drafts' }).click();
  await expect(page).toHaveURL(/\/mirrors\/customers-here/);
  const draft = await (await page.request.get('/api/mirrors/customers-here/draft')).json();
  expect(draft.sides.map((s: { system: string }) => s.system)).toEqual(['slipway', 'ballast']);
  expect(draft.fields.map((f: { name: string }) => f.name)).toContain('Payment terms');
  await page.request.delete('/api/mirrors/customers-here', { headers: { 'X-Upright-Token': (await (await page.request.get('/api/session')).json()).token } });
});
