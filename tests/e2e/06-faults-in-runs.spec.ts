import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { customers, DEMO, editInSlipway, organisations, runNow, shared, signIn } from './world';

/** Signed in once for all of them: attempts are rationed. */
let page: Page;
test.afterAll(() => page?.context().close());

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
});

test.describe.configure({ mode: 'serial' });

const fault = (system: string, what: object) => fetch(`${DEMO}/faults/api/${system}`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify(what) });
const over = (system: string) => fetch(`${DEMO}/faults/api/${system}`, { method: 'DELETE' });

/** Edits a few customers in the CRM, and gives what must stand in the ERP when all is well again. */
async function edits(page: Page, first: number, count: number, stem: string) {
  const names = new Map<string, string>();
  for (let n = 0; n < count; n++) {
    const customer = await shared(page, first + n);
    names.set(customer.ballast, `${stem} ${n}`);
    await editInSlipway(page, customer.slipway, 'Name', `${stem} ${n}`);
  }
  return names;
}

async function expectInBallast(names: Map<string, string>) {
  const there = new Map((await customers()).map((c) => [c.CustomerNo, c.CustomerName.toLowerCase()]));
  for (const [number, name] of names) expect(there.get(number)).toBe(name.toLowerCase());
}

async function expectQuiet(page: Page) {
  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();
}

test.afterEach(async () => {
  await over('slipway');
  await over('ballast');
});

for (const [when, what] of [
  ['after it took effect', { dropAfter: true }],
  ['before it took effect', { dropBefore: true }],
] as const)
  test(`the connection breaks at each write, ${when}: the next run looks first, and writes what is missing once`, async () => {
    test.setTimeout(180_000);
    const before = (await customers()).length;
    const names = await edits(page, 20, 3, `Broken ${when}`);
    await fault('ballast', what);
    await runNow(page);
    await over('ballast');
    await runNow(page);
    await expectInBallast(names);
    await expectQuiet(page);
    expect((await customers()).length).toBe(before);
  });

test('every second row is refused: the others go on, and what was held is written when it is tried again', async () => {
  test.setTimeout(180_000);
  const names = await edits(page, 30, 4, 'Refused');
  await fault('ballast', { refuseEvery: 2 });
  await runNow(page);
  await page.goto('/held');
  await expect(page.getByText('The record does not pass a rule of this installation.').first()).toBeVisible();
  const done = (await customers()).filter((c) => names.get(c.CustomerNo)?.toLowerCase() === c.CustomerName.toLowerCase()).length;
  expect(done).toBe(2);

  await over('ballast');
  // Both are held for the same, and stand together. One is left out for good, with a reason; the other is tried again.
  const reason = page.getByRole('region', { name: /does not pass a rule of this installation/ });
  await expect(reason.getByRole('listitem')).toHaveCount(2);
  if (process.env.UPRIGHT_PICTURES) await page.screenshot({ path: `${process.env.UPRIGHT_PICTURES}/held.png` });
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  const out = (await reason.getByRole('listitem').first().getByRole('link').textContent())!;
  await reason.getByRole('button', { name: `Leave ${out} out` }).click();
  await expect(page.getByRole('button', { name: 'Leave it out' })).toBeDisabled();
  await page.getByRole('textbox', { name: /will be left out for good/ }).fill('They are closing down');
  await page.getByRole('button', { name: 'Leave it out', exact: true }).click();
  const left = page.getByRole('region', { name: 'Left out' }).getByRole('listitem').filter({ hasText: out });
  await expect(left).toContainText('They are closing down');
  await reason.getByRole('button', { name: 'Try it again' }).click();
  await expect(reason).toHaveCount(0);
  await runNow(page);
  const written = async () => (await customers()).filter((c) => names.get(c.CustomerNo)?.toLowerCase() === c.CustomerName.toLowerCase()).length;
  expect(await written()).toBe(3);
  await page.goto('/held');
  await left.getByRole('button', { name: 'Take it in again' }).click();
  await expect(left).toHaveCount(0);
  await runNow(page);
  await expectInBallast(names);
  await expectQuiet(page);
});

test('tokens end in the middle and answers are slow and now and then an error: the run goes on', async () => {
  test.setTimeout(180_000);
  const names = await edits(page, 40, 2, 'Weathered');
  await fault('slipway', { tokensEndedAt: new Date().toISOString(), slowMilliseconds: 150, errorEvery: 4 });
  await runNow(page);
  await over('slipway');
  await runNow(page);
  await expectInBallast(names);
  await expectQuiet(page);
  expect((await organisations()).length).toBeGreaterThan(60);
});
