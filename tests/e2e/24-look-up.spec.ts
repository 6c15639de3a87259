import { expect, test, type Page } from '@playwright/test';
import { forEveryone, picture, shared, signIn } from './world';

// A mirror is looked up from elsewhere: offered, tried, and asked with a key, as a script would.
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  page.on('dialog', (d) => void d.accept());
  await signIn(page);
});

test('a mirror is offered with chosen fields, tried, and asked with a key that is shown once', async () => {
  const customer = await shared(page, 8);
  await page.goto('/mirrors/customers');
  await page.getByRole('link', { name: 'Look up from elsewhere' }).click();
  await expect(page.getByText('No key yet: nobody gets in.')).toBeVisible();
  await page.getByLabel('Others may look it up').check();
  await page.getByRole('button', { name: 'all', exact: true }).click();
  await page.getByLabel('Credit limit').uncheck();
  await page.getByRole('button', { name: 'Keep it so' }).click();
  await expect(page.getByLabel('Others may look it up')).toBeChecked();

  const keys = page.getByRole('region', { name: 'Keys' });
  await keys.getByLabel('Who gets a new one, and what for').fill('The telephone system');
  await keys.getByRole('button', { name: 'Make a key' }).click();
  const key = (await keys.getByRole('status').locator('.font-mono').textContent())!;
  expect(key).toMatch(/^look_[0-9a-f]{64}$/);

  const tried = page.getByRole('region', { name: 'Try it' });
  await tried.getByLabel('Known of it is').selectOption('its id in Ballast ERP');
  await tried.getByLabel('Which is').fill(customer.ballast);
  await tried.getByRole('button', { name: 'Ask' }).click();
  await expect(tried.getByText('= 200')).toBeVisible();
  await expect(tried.getByLabel('The answer')).toContainText(customer.title);
  await expect(tried.getByLabel('The answer')).not.toContainText('Credit limit');
  await picture(page, 'look-up');
  await forEveryone(page);

  const address = `${process.env.UPRIGHT_WEB}/lookup/customers`;
  const ask = (path: string, by = key) => fetch(`${address}${path}`, { headers: { authorization: `Bearer ${by}` } });
  const agreed = await (await ask(`/records/ballast/${customer.ballast}`)).json();
  expect(agreed).toMatchObject({ view: 'agreed', ids: { slipway: customer.slipway, ballast: customer.ballast }, fields: { Name: customer.title } });
  const live = await (await ask(`/records/ballast/${customer.ballast}?view=slipway`)).json();
  expect(live).toMatchObject({ view: 'slipway', fields: { Name: customer.title } });
  const byName = await ask(`/records?field=Name&value=${encodeURIComponent(customer.title.toUpperCase())}`);
  expect([200, 409]).toContain(byName.status);
  expect((await (await ask('/openapi.json')).json()).paths).toHaveProperty(['/records/{system}/{id}']);
  expect((await ask(`/records/ballast/${customer.ballast}`, 'look_none')).status).toBe(401);

  await keys.getByRole('button', { name: 'Take the key of The telephone system away' }).click();
  await expect(page.getByText('No key yet: nobody gets in.')).toBeVisible();
  expect((await ask(`/records/ballast/${customer.ballast}`)).status).toBe(401);
});
