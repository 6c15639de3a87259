import { expect, test, type Page } from '@playwright/test';
import { allInCrm } from './calls';
import { forEveryone, picture, signIn } from './world';

// A website that posts its sign-ups to an address of ours: shown as they came, mapped from, and in the CRM within seconds.
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());
let address: string;

const KEY = 'paddle-in-the-marsh';
const step = (name: string) => page.getByRole('navigation', { name: 'Steps' }).getByRole('link', { name: new RegExp(`${name}$`) });
const saved = (what: string | RegExp) => expect(page.getByText(what)).toBeVisible();
const post = (body: string, type = 'application/json', key = KEY) => fetch(address, { method: 'POST', headers: { 'content-type': type, 'x-key': key }, body });
const inCrm = async (email: string) => (await allInCrm<{ email: string | null; firstName: string; lastName: string }>('people')).filter((p) => p.email === email);

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  page.on('dialog', (d) => void d.accept());
  await signIn(page);
});

test('a system that sends its records has an address for each kind of them', async () => {
  await page.goto('/systems/new');
  await page.getByRole('radio', { name: /It sends its records to us/ }).check();
  await page.getByLabel('Name', { exact: true }).fill('Website');
  await picture(page, 'new-sender');
  await page.getByRole('button', { name: 'Keep this system' }).click();
  await expect(page).toHaveURL(/\/systems\/website\/events/);
  await page.getByRole('button', { name: 'Open an address' }).click();
  await page.getByLabel('What comes there').fill('sign-ups');
  await page.getByLabel('Key', { exact: true }).fill(KEY);
  await page.getByRole('button', { name: 'Open the address' }).click();
  await saved(/Name the field that tells one record from another/);
  await page.getByLabel('Records are told apart by').fill('email');
  await page.getByRole('button', { name: 'Open the address' }).click();
  await saved('None came yet.');
  address = await page.getByLabel('Set this address in Website').inputValue();
  await forEveryone(page);
});

test('what it posts stands there as it came, and what can not be taken with its reason', async () => {
  expect((await post('{"email":"una@shore.example","firstName":"Una","lastName":"Shoreham","language":"en","newsletter":true}')).status).toBe(202);
  expect((await post('email=piet%40vaart.example&firstName=Piet&lastName=van+der+Vaart&language=nl&newsletter=true', 'application/x-www-form-urlencoded')).status).toBe(202);
  expect((await post('<person><email>siri@fjord.example</email><firstName>Siri</firstName><lastName>Fjordheim</lastName><language>no</language><newsletter>true</newsletter></person>', 'text/xml')).status).toBe(202);
  expect((await post('{"email": "cut off')).status).toBe(400);
  expect((await post('{"email":"eve@marsh.example"}', 'application/json', 'a guess at the key')).status).toBe(401);
  await expect(page.getByText('siri@fjord.example', { exact: true })).toBeVisible();
  await saved(/It is not JSON: line 1/);
  await saved('The key in X-Key is missing or is not right.');
  await saved(/3 records are known by what came/);
  await page.getByRole('row').filter({ hasText: 'piet@vaart.example' }).getByRole('button', { name: 'Field by field' }).click();
  await expect(page.getByRole('definition').filter({ hasText: 'van der Vaart' })).toBeVisible();
  await picture(page, 'inbox');
  await forEveryone(page);
});

test('a mirror is mapped from what came, and takes over the next one within seconds', async () => {
  test.setTimeout(240_000);
  await expect.poll(async () => (await (await page.request.get('/api/systems/website')).json()).catalogue?.version ?? 0, { timeout: 30_000 }).toBeGreaterThan(0);
  await page.goto('/systems/website');
  await page.getByRole('button', { name: /Read the catalogue/ }).click();
  await expect(page.getByText('firstName').first()).toBeVisible({ timeout: 30_000 });

  await page.goto('/mirrors/new');
  for (const system of ['Website', 'Slipway CRM']) await page.getByRole('button', { name: `Add ${system}` }).click();
  await page.getByLabel('One record of it is a').fill('sign-up');
  await page.getByLabel('The mirror is called').fill('Sign-ups');
  await page.getByLabel('Collection of Website').selectOption('sign-ups');
  await page.getByLabel('Collection of Slipway CRM').selectOption('people');
  await saved('gives only: it is never written to');
  await page.getByRole('button', { name: 'Begin mapping' }).click();
  await expect(page).toHaveURL(/\/mirrors\/sign-ups\/fields/);
  await expect(page.getByText('Reading sample records…')).toHaveCount(0, { timeout: 90_000 });
  await page.reload();
  await page
    .getByRole('region', { name: 'Suggestions' })
    .getByRole('button', { name: /Take the \d+ sure ones/ })
    .click({ timeout: 60_000 });
  await saved(/last: Take \d+ suggestions/);
  await picture(page, 'inbox-fields');

  await step('Recognising').click();
  await page.getByRole('combobox').filter({ hasText: 'add a key…' }).selectOption('Email');
  await step('Publish').click();
  await page.getByLabel('Why, for those who read the list of versions').fill('Sign-ups of the website go to the CRM');
  await expect(page.getByText('Reading what is otherwise…')).toHaveCount(0);
  await picture(page, 'inbox-publish');
  await page.getByRole('button', { name: 'Publish version 1' }).click();
  await expect.poll(async () => ((await (await page.request.get('/api/mirrors')).json()) as { key: string; state: string }[]).find((m) => m.key === 'sign-ups')?.state).toBe('live');

  await post('{"email":"tove@elv.example","firstName":"Tove","lastName":"Elvestad","language":"no","newsletter":true}');
  await expect.poll(async () => (await inCrm('tove@elv.example')).map((p) => `${p.firstName} ${p.lastName}`), { timeout: 30_000 }).toEqual(['Tove Elvestad']);
  // Those that came before it was published came along, once each; a copy changes nothing.
  await post('{"email":"tove@elv.example","firstName":"Tove","lastName":"Elvestad","language":"no","newsletter":true}');
  for (const email of ['una@shore.example', 'piet@vaart.example', 'siri@fjord.example']) expect(await inCrm(email)).toHaveLength(1);
  const runs = (await (await page.request.get('/api/runs?mirror=sign-ups')).json()) as { startedBy: string }[];
  expect(runs.at(-1)!.startedBy).toBe('an event of sign-ups');

  await page.goto('/systems/website/events');
  await saved(/Taken over by Sign-ups/);
});
