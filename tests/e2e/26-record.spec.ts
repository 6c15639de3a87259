import { expect, test, type Page } from '@playwright/test';
import { customers, editInSlipway, forEveryone, picture, shared, signIn } from './world';

// A record's page whole: what it is linked to, its lines, and what stands in the systems at this moment.
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
});

test('an order leads to its customer, and the customer to its orders', async () => {
  const orders = (await (await page.request.get('/api/records?mirror=orders&count=100')).json()).rows as { link: string; title: string }[];
  let order: { link: string; title: string } | undefined;
  for (const o of orders) {
    const fields = (await (await page.request.get(`/api/records/${o.link}`)).json()).fields as { name: string; points: object | null; lines: object[] | null }[];
    if (fields.some((f) => f.name === 'Customer' && f.points) && fields.some((f) => f.lines?.length)) order ??= o;
    if (order) break;
  }
  await page.goto(`/records/${order!.link}`);
  await expect(page.getByRole('rowheader', { name: 'Lines: line 1' })).toBeVisible();
  await forEveryone(page);
  await picture(page, 'order');
  await page.getByRole('row', { name: /^Customer / }).getByRole('link').first().click();
  const linked = page.getByRole('region', { name: 'What is linked to it' });
  await expect(linked).toBeVisible();
  const shown = linked.getByRole('link', { name: order!.title }).first();
  const more = linked.getByRole('button', { name: / more$/ }).first();
  await expect(shown.or(more).first()).toBeVisible();
  if ((await shown.count()) === 0) await more.click();
  await expect(shown).toBeVisible();
  await forEveryone(page);
});

test('a record is read again at once, and what somebody just changed goes where it belongs', async () => {
  test.setTimeout(120_000);
  const customer = await shared(page, 21);
  await editInSlipway(page, customer.slipway, 'Name', 'Read At Once Rowing');
  await page.goto(`/records/${customer.link}`);
  await expect(page.getByRole('status')).toContainText('last read');
  await expect(async () => {
    await page.keyboard.press('r');
    await expect(page.getByRole('status')).toContainText(/Read just now in run \d+/, { timeout: 15_000 });
  }).toPass({ timeout: 60_000 });
  await expect(page.getByRole('row', { name: /^Name/ })).toContainText('Read At Once Rowing');
  await expect.poll(async () => (await customers()).find((c) => c.CustomerNo === customer.ballast)?.CustomerName.toLowerCase()).toBe('read at once rowing');
  await picture(page, 'record-read');
});
