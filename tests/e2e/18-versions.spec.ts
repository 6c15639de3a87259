import { expect, test, type Page } from '@playwright/test';
import { forEveryone, picture, signIn } from './world';

// A mirror from nothing, through all seven steps, to a version that runs by itself; then changed by a draft, and gone back on.
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());

type Run = { id: number; startedBy: string; state: string; rehearsal: boolean; version: number | null; ofDraft: boolean; counts: { planned: number; written: number } };
const runs = async (): Promise<Run[]> => (await page.request.get('/api/runs?mirror=irish-clubs')).json();
const step = (name: string) => page.getByRole('navigation', { name: 'Steps' }).getByRole('link', { name: new RegExp(`${name}$`) });
const side = (name: string) => page.getByRole('region', { name: 'Scope' }).getByRole('listitem').filter({ hasText: name }).first();
const timing = () => page.getByRole('region', { name: 'Timing' });
const saved = (what: string | RegExp) => expect(page.getByText(what)).toBeVisible();

test.beforeAll(async ({ browser }) => {
  test.setTimeout(300_000);
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  page.on('dialog', (d) => void d.accept());
  await signIn(page);
  for (const system of ['slipway', 'ballast']) {
    await page.goto(`/systems/${system}`);
    const again = page.getByRole('button', { name: /Read the catalogue/ });
    await again.click();
    await expect(again).toBeEnabled({ timeout: 120_000 });
  }
});

test('a new mirror: its sides, its fields, how its records are recognised and settled', async () => {
  test.setTimeout(240_000);
  await page.goto('/mirrors/new');
  for (const system of ['Slipway CRM', 'Ballast ERP']) await page.getByRole('button', { name: `Add ${system}` }).click();
  await page.getByLabel('The mirror is called').fill('Irish clubs');
  await page.getByRole('button', { name: 'Begin mapping' }).click();
  await expect(page).toHaveURL(/\/mirrors\/irish-clubs\/fields/);
  await expect(page.getByText('Reading sample records…')).toHaveCount(0, { timeout: 90_000 });
  await page.reload();
  const list = page.getByRole('region', { name: 'Suggestions' });
  await list.getByRole('button', { name: /Take the \d+ sure ones/ }).click({ timeout: 60_000 });
  await saved(/last: Take \d+ suggestions/);
  await picture(page, 'step-fields');

  await step('Publish').click();
  await expect(page.getByRole('button', { name: 'Publish version 1' })).toBeVisible();

  await step('Sides').click();
  for (const system of ['Slipway CRM', 'Ballast ERP']) {
    await page.getByRole('listitem').filter({ hasText: system }).getByRole('checkbox', { name: 'create there what it lacks' }).uncheck();
    await saved(`last: Create nothing in ${system}`);
  }

  await picture(page, 'step-sides');
  await step('Recognising').click();
  await expect(page.getByRole('heading', { name: 'Irish clubs' })).toBeVisible();
  await page.getByRole('combobox').filter({ hasText: 'add a key…' }).selectOption('Email');
  await expect(page.getByRole('button', { name: /^Check: 0 wrong/ })).toBeVisible();
  await picture(page, 'step-recognising');
  await step('Settling').click();
  await picture(page, 'step-settling');
});

test('which records take part is put together by hand, and counted on those that there are', async () => {
  await step('Scope and timing').click();
  await side('Slipway CRM').getByRole('button', { name: 'Choose which…' }).click();
  await expect(side('Slipway CRM').getByText('Choose a field for each condition.')).toBeVisible();
  await page.getByLabel('Condition 1: field').fill('address.country');
  await page.getByLabel('Condition 1: what it asks').selectOption('is one of');
  await page.getByLabel('Condition 1: another value').fill('Ireland');
  await page.getByLabel('Condition 1: another value').press('Enter');
  await expect(side('Slipway CRM').getByText(/^\d+ of \d+ take part, \d+ do not\.$/)).toBeVisible();
  const [covered, of] = (await side('Slipway CRM').getByText(/take part, /).textContent())!.match(/\d+/g)!.map(Number);
  expect(covered).toBeGreaterThan(0);
  expect(covered).toBeLessThan(of!);
  await picture(page, 'step-scope');
  await forEveryone(page);

  // A field that there is not is told before anything is kept.
  await page.getByRole('button', { name: '+ Another condition' }).click();
  await page.getByLabel('Condition 2: field').fill('colour');
  await page.getByLabel('Condition 2: what it asks').selectOption('is filled');
  await expect(side('Slipway CRM').getByText(/has no field colour/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Keep this scope' })).toHaveCount(0);
  await page.getByLabel('Condition 2: field').fill('name');
  await expect(side('Slipway CRM').getByText(new RegExp(`^${covered} of ${of} take part`))).toBeVisible();
  await page.getByRole('button', { name: 'Take condition 2 out' }).click();

  await page.getByRole('button', { name: 'As a formula' }).click();
  await expect(page.getByLabel('Scope of Slipway CRM as a formula')).toHaveValue('OR(address.country = "Ireland")');
  await page.getByLabel('Scope of Slipway CRM as a formula').fill('address.country = "Ireland"');
  await page.getByRole('button', { name: 'Keep this scope' }).click();
  await saved(/last: Scope of Slipway CRM/);
  await expect(page.getByLabel('Condition 1: field')).toHaveValue('address.country');
  await expect(page.getByLabel('Condition 1: value')).toHaveValue('Ireland');
});

test('when it runs is said in words with its next times; what never comes is refused', async () => {
  await timing().getByLabel('It runs').selectOption('by a calendar expression');
  await expect(timing().getByText(/06:30$/).first()).toBeVisible();
  await saved(/last: It runs at 06:30, on Monday to Friday/);
  const expression = timing().getByLabel(/Calendar expression/);
  await expression.fill('0 6 30 2 *');
  await expression.press('Enter');
  await expect(timing().getByText('0 6 30 2 * never comes: there is no such day.')).toBeVisible();
  await expect(expression).toHaveValue('0 6 30 2 *');
  await expression.fill('*/20 8-17 * * MON-FRI');
  await expression.press('Enter');
  await expect(timing().getByRole('listitem')).toHaveCount(5);
  await expect(page.getByRole('complementary', { name: 'In plain words' }).getByText(/It runs every 20 minutes, in hour 8 to 17, on Monday to Friday/)).toBeVisible();
  await picture(page, 'step-timing');
  await forEveryone(page);
  await timing().getByLabel('It runs').selectOption('every so many minutes');
  await saved(/last: It runs every 15 minutes/);
  await timing().getByLabel('Minutes between runs').fill('1');
  await timing().getByLabel('Minutes between runs').press('Enter');
  await saved(/last: It runs every minute/);
});

test('a draft is rehearsed, published with a reason, and runs by itself', async () => {
  test.setTimeout(300_000);
  await step('Rehearse').click();
  await page.getByRole('button', { name: 'Rehearse the draft' }).click();
  await expect(page.getByText(/The draft, rehearsed|^The draft$/).first()).toBeVisible({ timeout: 120_000 });
  await expect(page.getByRole('heading', { name: /What a run would write/ })).toBeVisible({ timeout: 120_000 });
  const rehearsed = (await runs())[0]!;
  expect(rehearsed).toMatchObject({ rehearsal: true, ofDraft: true, state: 'finished', counts: { written: 0 } });
  await picture(page, 'step-rehearse');
  await forEveryone(page);

  // A few of them only, which does not stand for all of them where it is published.
  await page.getByLabel('Of which records').selectOption('20');
  await page.getByRole('button', { name: 'Rehearse the draft' }).click();
  await expect(page.getByText(/, 20 of its records, rehearsed/)).toBeVisible({ timeout: 60_000 });
  await picture(page, 'step-rehearse-sample');

  await step('Publish').click();
  await expect(page.getByText(`the next run would write ${rehearsed.counts.planned.toLocaleString('en-US')} times`)).toBeVisible();
  await expect(page.getByRole('table', { name: 'What is otherwise' })).toBeVisible();
  await picture(page, 'step-publish');
  await forEveryone(page);
  await page.getByLabel('Why, for those who read').fill('The Irish clubs, to begin with');
  await page.getByRole('button', { name: 'Publish version 1' }).click();
  await expect(page.getByText('Nothing was changed since version 1, which is live.')).toBeVisible();
  await expect(page.getByRole('region', { name: 'Versions' }).getByRole('listitem').first()).toContainText('The Irish clubs, to begin with');

  // Its time comes within a minute, and then again.
  await expect.poll(async () => (await runs()).filter((r) => r.startedBy === 'its schedule' && r.state === 'finished').length, { timeout: 200_000, intervals: [1000] }).toBeGreaterThanOrEqual(2);
  const own = (await runs()).filter((r) => r.startedBy === 'its schedule');
  expect(own.every((r) => r.version === 1 && !r.ofDraft)).toBe(true);
});

test('a change goes by way of a draft, while what is live goes on; and there is a way back', async () => {
  test.setTimeout(240_000);
  await step('Scope and timing').click();
  await timing().getByLabel('It runs').selectOption('when somebody asks for it');
  await saved(/last: It runs when somebody asks for it/);
  await page.getByLabel('Condition 1: what it asks').selectOption('is one of');
  await page.getByLabel('Condition 1: another value').fill('Norway');
  await page.getByLabel('Condition 1: another value').press('Enter');
  await page.getByRole('button', { name: 'Keep this scope' }).click();
  await saved(/last: Scope of Slipway CRM/);
  // What is live is as it was: version 1 still runs.
  expect((await (await page.request.get('/api/mirrors/irish-clubs')).json()).mirror).toMatchObject({ version: 1, state: 'live' });

  await step('Publish').click();
  await expect(page.getByText('As it stands, the draft was not rehearsed.')).toBeVisible();
  const changed = page.getByRole('table', { name: 'What is otherwise' });
  await expect(changed.getByText(/It runs when somebody asks for it/)).toBeVisible();
  await expect(changed.getByText(/Norway/)).toBeVisible();
  await page.getByLabel('Why, for those who read').fill('Norway asked for it too');
  await page.getByRole('button', { name: 'Publish version 2' }).click();
  await expect(page.getByText('Nothing was changed since version 2, which is live.')).toBeVisible();
  expect((await (await page.request.get('/api/mirrors/irish-clubs')).json()).mirror.nextRun).toBeNull();

  const versions = page.getByRole('region', { name: 'Versions' }).getByRole('listitem');
  await versions.first().getByRole('button', { name: 'What it changed' }).click();
  await expect(page.getByRole('heading', { name: 'Version 1 → version 2' })).toBeVisible();
  await expect(page).toHaveURL(/from=1&to=2/);
  await picture(page, 'versions');
  await forEveryone(page);
  await page.getByRole('button', { name: 'Back to the draft' }).click();
  await versions.nth(1).getByRole('button', { name: 'Go back to it' }).click();
  await expect(page.getByRole('heading', { name: 'What version 3 changes' })).toBeVisible();
  await page.getByRole('button', { name: 'Publish version 3' }).click();
  await expect(page.getByText('Nothing was changed since version 3, which is live.')).toBeVisible();
  const same = await (await page.request.get('/api/mirrors/irish-clubs/compare?from=1&to=3')).json();
  expect(same.changes).toEqual([]);
  await expect.poll(async () => (await (await page.request.get('/api/mirrors/irish-clubs')).json()).mirror.nextRun).not.toBeNull();

  const token = (await (await page.request.get('/api/session')).json()).token;
  await page.request.put('/api/mirrors/irish-clubs/state', { data: { state: 'paused' }, headers: { 'X-Upright-Token': token } });
  expect((await (await page.request.get('/api/mirrors/irish-clubs')).json()).mirror.nextRun).toBeNull();
});
