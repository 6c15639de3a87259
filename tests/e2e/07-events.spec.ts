import { expect, test, type Page } from '@playwright/test';
import { createInSlipway, customers, DEMO, editInSlipway, runNow, shared, signIn } from './world';

test.describe.configure({ mode: 'serial' });

const SECRET = 'events-8842-demo';
let page: Page;
test.afterAll(() => page?.context().close());

test.beforeAll(async ({ browser }) => {
  page = await (
    await browser.newContext({
      baseURL: process.env.UPRIGHT_WEB,
      viewport: { width: 1280, height: 800 },
    })
  ).newPage();
  await signIn(page);
  await runNow(page);
});

test.afterEach(() => fetch(`${DEMO}/faults/api/slipway`, { method: 'DELETE' }));

const fault = (what: object) =>
  fetch(`${DEMO}/faults/api/slipway`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(what),
  });
const nameInBallast = async (number: string) => (await customers()).find((c) => c.CustomerNo === number)?.CustomerName.toLowerCase();
const events = async () => (await page.request.get('/api/systems/slipway/events')).json();
const runs = async () => (await (await page.request.get('/api/runs')).json()).filter((r: { mirror: string }) => r.mirror === 'customers').length as number;

/** Waits until no run is going on and every event had its run. */
async function quiet() {
  await expect
    .poll(
      async () => [
        (await events()).last.filter((e: { outcome: string; runAskedAt: string | null }) => e.outcome === 'taken' && e.runAskedAt === null).length,
        (await (await page.request.get('/api/runs')).json()).filter((r: { state: string }) => r.state === 'running').length,
      ],
      { timeout: 60_000 },
    )
    .toEqual([0, 0]);
  // A run that was asked for may begin a moment later: it is quiet when no run was added for a while.
  let seen = -1;
  await expect
    .poll(
      async () => {
        const now = await runs();
        const same = now === seen;
        seen = now;
        return same;
      },
      { timeout: 30_000, intervals: [1500] },
    )
    .toBe(true);
}

test('an address is opened by the screens, and an edit in the CRM is in the ERP within seconds', async () => {
  test.setTimeout(120_000);
  await page.goto('/systems/slipway/events');
  await page.getByRole('button', { name: 'Take its events' }).click();
  await page.getByLabel('Header of the signature').fill('X-Slipway-Signature');
  await page.getByLabel('Signed with').fill(SECRET);
  await page.getByRole('button', { name: 'Open the address' }).click();
  const address = await page.getByLabel('Set this address in Slipway CRM').inputValue();

  const crm = await page.context().newPage();
  await crm.goto(`${DEMO}/slipway/events`);
  await crm.getByLabel('Send events to').fill(address);
  await crm.getByLabel('Sign them with').fill(SECRET);
  await crm.getByRole('button', { name: 'Save' }).click();
  await expect(crm.getByText('Saved.')).toBeVisible();
  await crm.close();

  const customer = await shared(page, 12);
  await editInSlipway(page, customer.slipway, 'Name', 'Told at once');
  await expect.poll(() => nameInBallast(customer.ballast), { timeout: 20_000 }).toBe('told at once');
  await page.goto('/systems/slipway/events');
  await expect(page.getByText('= taken').first()).toBeVisible();
  expect(await page.content()).not.toContain(SECRET);
});

test('events that come twice make no second run and no second write', async () => {
  test.setTimeout(120_000);
  await quiet();
  await fault({ eventsTwice: true });
  const [customer, before, count] = [await shared(page, 13), await runs(), (await customers()).length];
  await editInSlipway(page, customer.slipway, 'Name', 'Told twice');
  await expect.poll(() => nameInBallast(customer.ballast), { timeout: 20_000 }).toBe('told twice');
  await quiet();
  const last = (await events()).last as { outcome: string; body: string }[];
  expect(
    last
      .slice(0, 2)
      .map((e) => e.outcome)
      .sort(),
  ).toEqual(['again', 'taken']);
  expect(await runs()).toBe(before + 1);
  expect((await customers()).length).toBe(count);

  await createInSlipway({ name: 'Twice Told Kayak Hire', email: 'office@twicetold.example', phoneMain: '+44 131 496 0399', address: { street: '3 Echo Lane', town: 'Kelburn', postcode: 'KB3 3EL', country: 'United Kingdom' } });
  const told = async () => (await customers()).filter((c) => c.CustomerName.toLowerCase() === 'twice told kayak hire').length;
  await expect.poll(told, { timeout: 30_000 }).toBe(1);
  await quiet();
  expect([await told(), (await customers()).length]).toEqual([1, count + 1]);
});

test('an event that comes late does no harm: the newer value stays', async () => {
  test.setTimeout(180_000);
  await quiet();
  await fault({ eventsLateSeconds: 62 });
  const customer = await shared(page, 14);
  await editInSlipway(page, customer.slipway, 'Name', 'First name');
  await editInSlipway(page, customer.slipway, 'Name', 'Second name');
  await runNow(page);
  expect(await nameInBallast(customer.ballast)).toBe('second name');
  await page.goto('/systems/slipway/events');
  await expect(page.getByText('1 min after it happened').first()).toBeVisible({
    timeout: 90_000,
  });
  await quiet();
  expect(await nameInBallast(customer.ballast)).toBe('second name');
});

test('events that never come: the next run finds the change, and the screen says that they stopped', async () => {
  test.setTimeout(180_000);
  await quiet();
  await fault({ eventsNever: true });
  await page.waitForTimeout(31_000); // A change soon after an event is not called silence.
  const customer = await shared(page, 15);
  await editInSlipway(page, customer.slipway, 'Name', 'Never told');
  await runNow(page);
  expect(await nameInBallast(customer.ballast)).toBe('never told');
  await page.waitForTimeout(31_000);
  await page.goto('/systems/slipway/events');
  await expect(page.getByText(/was found by reading, and the last event came on .* Nothing is lost/)).toBeVisible();
});

test('an event with a wrong signature is refused, an address that was closed answers nobody', async ({ request }) => {
  await page.goto('/systems/slipway/events');
  const address = await page.getByLabel('Set this address in Slipway CRM').inputValue();
  expect(
    (
      await request.post(address, {
        data: { eventId: 'made-up' },
        headers: { 'X-Slipway-Signature': 'sha256=00' },
      })
    ).status(),
  ).toBe(401);
  await expect(page.getByText('× refused: wrong signature').first()).toBeVisible();
  page.on('dialog', (d) => void d.accept());
  await page.getByRole('button', { name: 'Close it' }).click();
  await expect(page.getByRole('button', { name: 'Take its events' })).toBeVisible();
  expect((await request.post(address, { data: {} })).status()).toBe(404);
});
