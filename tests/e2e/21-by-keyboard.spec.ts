import { spawn, type ChildProcess, execFileSync } from 'node:child_process';
import { createServer } from 'node:net';
import { expect, test, type Locator, type Page } from '@playwright/test';
import { DEMO, forEveryone, picture } from './world';

// An empty workspace of its own: from nothing to a mirror that runs by itself, changed and gone back on, and never a mouse.
test.describe.configure({ mode: 'serial' });
let page: Page;
let product: ChildProcess;
let address: string;

const freePort = () =>
  new Promise<number>((on) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number };
      server.close(() => on(port));
    });
  });

test.beforeAll(async ({ browser }) => {
  test.setTimeout(180_000);
  const env = {
    ...process.env,
    UPRIGHT_DATABASE: process.env.UPRIGHT_DATABASE!.replace(/Database=\w+/, 'Database=upright_empty'),
  };
  execFileSync('dotnet', [process.env.UPRIGHT_CLI!, 'load-demo', DEMO, '--empty'], { env });
  address = `http://127.0.0.1:${await freePort()}`;
  const [command, ...args] = JSON.parse(process.env.UPRIGHT_WEB_COMMAND!) as string[];
  product = spawn(command!, [args[0]!, '--urls', address], {
    env,
    cwd: process.env.UPRIGHT_WEB_FOLDER,
    stdio: 'ignore',
  });
  await expect.poll(async () => (await fetch(`${address}/health`).catch(() => null))?.ok ?? false, { timeout: 60_000 }).toBe(true);
  page = await (
    await browser.newContext({
      baseURL: address,
      viewport: { width: 1280, height: 800 },
    })
  ).newPage();
  // Whatever this test does is done by keys.
  await page.addInitScript(() => {
    for (const kind of ['mousedown', 'pointerdown']) addEventListener(kind, () => ((window as unknown as { mouse: boolean }).mouse = true), true);
  });
});
test.afterAll(async () => {
  await page?.close();
  product?.kill('SIGKILL');
});

const isFocused = (what: Locator) => what.evaluate((e) => e === document.activeElement).catch(() => false);

/** Goes on by the Tab key until a control has the focus. */
async function reach(what: Locator, back = false) {
  await expect(what.first()).toBeVisible({ timeout: 60_000 });
  for (let n = 0; n < 400; n++) {
    if (await isFocused(what.first())) {
      // Who goes by keys sees where they are.
      const isSeen = () =>
        what.first().evaluate((e) => {
          const style = getComputedStyle(e);
          const box = e.getBoundingClientRect();
          return (style.outlineStyle !== 'none' || style.boxShadow !== 'none') && box.bottom > 0 && box.top < innerHeight;
        });
      await expect.poll(isSeen, { timeout: 5000 }).toBe(true);
      return;
    }
    await page.keyboard.press(back ? 'Shift+Tab' : 'Tab');
  }
  throw new Error(`No key leads to ${what}`);
}
async function press(what: Locator, key = 'Enter', back = false) {
  await reach(what, back);
  await page.keyboard.press(key);
}
async function type(what: Locator, text: string) {
  await reach(what);
  await page.keyboard.press('ControlOrMeta+a');
  await page.keyboard.type(text);
}
/** Chooses in a list by what its entries begin with. */
async function choose(what: Locator, text: string) {
  await reach(what);
  await page.keyboard.type(text);
  await expect.poll(async () => what.evaluate((e) => (e as HTMLSelectElement).selectedOptions[0]?.text ?? '')).toContain(text);
}
const step = (name: string) => page.getByRole('navigation', { name: 'Steps' }).getByRole('link', { name: new RegExp(`${name}$`) });
const saved = (what: string | RegExp) => expect(page.getByText(what)).toBeVisible({ timeout: 30_000 });
type Run = {
  startedBy: string;
  state: string;
  rehearsal: boolean;
  version: number | null;
  counts: { written: number; linked: number; updated: number; held: number };
};
const runs = async (): Promise<Run[]> => (await page.request.get('/api/runs')).json();
const mirror = async () =>
  (await (await page.request.get('/api/mirrors/customers')).json()).mirror as {
    version: number;
    state: string;
    nextRun: string | null;
  };

test('an empty workspace says what to do first, on every page', async () => {
  await page.goto('/');
  await expect(page.getByLabel('E-mail')).toBeFocused();
  await page.keyboard.type('maren@saltmarsh.example');
  await type(page.getByLabel('Password'), 'tide-and-timber');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Nothing is kept the same yet' })).toBeVisible();
  await picture(page, 'keyboard-today-empty');
  await forEveryone(page);
  for (const [place, words] of [
    ['Records', 'No record yet.'],
    ['Mirrors', /No mirror|Nothing is mirrored/],
    ['Systems', /No system/],
    ['Runs', /No run|Nothing has run/],
  ] as const) {
    await press(page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name: place, exact: true }));
    await expect(page.getByText(words).first()).toBeVisible();
    await forEveryone(page);
  }
  await press(page.getByRole('navigation', { name: 'Main' }).getByRole('link', { name: 'Today', exact: true }), 'Enter', true);
});

test('two systems are connected', async () => {
  test.setTimeout(240_000);
  await press(page.getByRole('link', { name: 'Connect the first system' }));
  await reach(page.getByRole('radio', { name: 'REST, described by OpenAPI' }));
  await page.keyboard.press('Space');
  await type(page.getByLabel(/^Address of/), `${DEMO}/slipway/openapi.json`);
  await press(page.getByLabel('It may be in a private network'), 'Space');
  await press(page.getByRole('button', { name: 'Read the description' }), 'Enter', true);
  await expect(page.getByRole('region', { name: 'Collections' })).toContainText('organisations');
  await type(page.getByLabel('Name', { exact: true }), 'Slipway CRM');
  await type(page.getByLabel('Client id', { exact: true }), 'upright-mirror');
  await type(page.getByLabel('Client secret', { exact: true }), 'slip-4417-demo');
  await press(page.getByRole('button', { name: 'Test the connection' }));
  await expect(page.getByRole('complementary').getByText('passed', { exact: true })).toHaveCount(7, { timeout: 60_000 });
  await picture(page, 'keyboard-system');
  await press(page.getByRole('button', { name: 'Keep this system' }));
  await expect(page.getByRole('heading', { name: 'Slipway CRM' })).toBeVisible();

  await press(page.getByRole('link', { name: 'Today', exact: true }));
  await press(page.getByRole('link', { name: 'Connect another' }));
  await reach(page.getByRole('radio').first());
  const odata = page.getByRole('radio', { name: 'OData v4' });
  for (let n = 0; n < 6 && !(await odata.isChecked()); n++) await page.keyboard.press('ArrowDown');
  await type(page.getByLabel(/^Address of/), `${DEMO}/ballast/odata/`);
  await press(page.getByLabel('It may be in a private network'), 'Space');
  await type(page.getByLabel('Name', { exact: true }), 'Ballast ERP');
  await choose(page.getByLabel('Sign-in'), 'User');
  await type(page.getByLabel('User name', { exact: true }), 'UPRIGHT-SVC');
  await type(page.getByLabel('Password', { exact: true }), 'ballast-demo-20931');
  await press(page.getByRole('button', { name: 'Test the connection' }));
  await expect(page.getByRole('complementary').getByText('passed', { exact: true })).toHaveCount(7, { timeout: 60_000 });
  await press(page.getByRole('button', { name: 'Keep this system' }));
  for (const system of ['slipway', 'ballast'])
    await expect.poll(async () => (await (await page.request.get(`/api/systems/${system}`)).json()).survey?.running ?? false, { timeout: 120_000 }).toBe(false);
});

test('sides, fields, recognising and settling', async () => {
  test.setTimeout(240_000);
  await press(page.getByRole('link', { name: 'Today', exact: true }));
  await press(page.getByRole('link', { name: 'Begin a mirror' }));
  for (const system of ['Slipway CRM', 'Ballast ERP']) await press(page.getByRole('button', { name: `Add ${system}` }));
  await type(page.getByLabel('The mirror is called'), 'Customers');
  await press(page.getByRole('button', { name: 'Begin mapping' }));
  await expect(page).toHaveURL(/\/mirrors\/customers\/fields/);
  await expect(page.getByText('Reading sample records…')).toHaveCount(0, {
    timeout: 90_000,
  });
  await page.reload();
  const suggested = (await (await page.request.get('/api/mirrors/customers/draft/suggestions')).json()).suggestions as { leftPath: string; isSure: boolean }[];
  // When and by whom a record was changed is each system's own. Numbers as they are dialled at home can't be read before a field says the country, and words go into no field for codes.
  expect(suggested.map((s) => s.leftPath)).not.toContain('updatedAt');
  for (const path of ['phoneMain', 'address.country', 'paymentTerms']) expect(suggested.find((s) => s.leftPath === path)?.isSure, path).toBe(false);
  await press(page.getByRole('region', { name: 'Suggestions' }).getByRole('button', { name: /Take the \d+ sure ones/ }));
  await saved(/last: Take \d+ suggestions/);
  await picture(page, 'keyboard-fields');

  await press(step('Sides'), 'Enter', true);
  for (const system of ['Slipway CRM', 'Ballast ERP']) {
    await press(page.getByRole('listitem').filter({ hasText: system }).getByRole('checkbox', { name: 'create there what it lacks' }), 'Space');
    await saved(`last: Create nothing in ${system}`);
  }
  await picture(page, 'keyboard-sides');

  await press(step('Recognising'), 'Enter', true);
  await expect(page.getByRole('heading', { name: 'Customers' })).toBeVisible();
  // A list that does something as soon as an entry is chosen is opened first.
  await press(page.getByRole('combobox').filter({ hasText: 'add a key…' }), 'Space');
  await page.keyboard.type('Email');
  await page.keyboard.press('Enter');
  await saved(/last: .*Email/);
  await expect(page.getByRole('button', { name: /^Check: 0 wrong/ })).toBeVisible();
  await picture(page, 'keyboard-recognising');
  await press(step('Settling'), 'Enter', true);
  await expect(page).toHaveURL(/settling/);
  await picture(page, 'keyboard-settling');
});

test('scope and timing, a rehearsal, and publishing; it runs by itself', async () => {
  test.setTimeout(300_000);
  await press(step('Scope and timing'), 'Enter', true);
  const timing = page.getByRole('region', { name: 'Timing' });
  await choose(timing.getByLabel('It runs'), 'every so many minutes');
  await saved(/last: It runs every 15 minutes/);
  await type(timing.getByLabel('Minutes between runs'), '1');
  await page.keyboard.press('Enter');
  await saved(/last: It runs every minute/);
  await picture(page, 'keyboard-timing');

  await press(step('Rehearse'), 'Enter', true);
  await press(page.getByRole('button', { name: 'Rehearse the draft' }));
  await expect(page.getByRole('heading', { name: /What a run would write/ })).toBeVisible({ timeout: 120_000 });
  await picture(page, 'keyboard-rehearse');

  await press(step('Publish'), 'Enter', true);
  await type(page.getByLabel('Why, for those who read'), 'The first mirror');
  await picture(page, 'keyboard-publish');
  await press(page.getByRole('button', { name: 'Publish version 1' }));
  await expect(page.getByText('Nothing was changed since version 1, which is live.')).toBeVisible();
  await expect
    .poll(async () => (await runs()).filter((r) => r.startedBy === 'its schedule' && r.state !== 'running').length, { timeout: 200_000, intervals: [1000] })
    .toBeGreaterThanOrEqual(1);
  const own = (await runs()).findLast((r) => r.startedBy === 'its schedule')!;
  expect(own).toMatchObject({ version: 1, state: 'finished', reason: null });
  // Nearly all that was taken by suggestion is right: records are linked, and hardly any is held.
  expect(own.counts.linked + own.counts.updated).toBeGreaterThan(60);
  expect(own.counts.held).toBeLessThan(5);
});

test('a change by way of the draft, rehearsed and published, and the way back', async () => {
  test.setTimeout(240_000);
  await press(step('Scope and timing'), 'Enter', true);
  await choose(page.getByRole('region', { name: 'Timing' }).getByLabel('It runs'), 'when somebody asks');
  await saved(/last: It runs when somebody asks for it/);
  expect(await mirror()).toMatchObject({ version: 1, state: 'live' });
  await press(step('Rehearse'), 'Enter', true);
  await press(page.getByRole('button', { name: 'Rehearse the draft' }));
  await expect.poll(async () => (await runs()).filter((r) => r.rehearsal && r.state === 'finished').length, { timeout: 120_000 }).toBe(2);
  await press(step('Publish'), 'Enter', true);
  await type(page.getByLabel('Why, for those who read'), 'By hand for now');
  await press(page.getByRole('button', { name: 'Publish version 2' }));
  await expect(page.getByText('Nothing was changed since version 2, which is live.')).toBeVisible();
  expect((await mirror()).nextRun).toBeNull();

  await press(page.getByRole('region', { name: 'Versions' }).getByRole('listitem').nth(1).getByRole('button', { name: 'Go back to it' }));
  await expect(page.getByRole('heading', { name: 'What version 3 changes' })).toBeVisible();
  await press(page.getByRole('button', { name: 'Publish version 3' }));
  await expect(page.getByText('Nothing was changed since version 3, which is live.')).toBeVisible();
  await expect.poll(async () => (await mirror()).nextRun).not.toBeNull();
  await picture(page, 'keyboard-versions');
  await press(page.getByRole('link', { name: 'Today', exact: true }), 'Enter', true);
  await expect(page.getByRole('heading', { name: 'Mirrors', exact: false }).first()).toBeVisible();
  await picture(page, 'keyboard-today');
  expect(await page.evaluate(() => (window as unknown as { mouse?: boolean }).mouse ?? false)).toBe(false);
});
