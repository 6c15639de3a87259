import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { DEMO, signIn } from './world';

test.describe.configure({ mode: 'serial' });

type Asked = { protocol: string; address: string; name: string; signIn?: string; secrets?: [string, string][]; reads: boolean; collections: string[]; steps: number };

/** As they stand on the cards that the systems' administrators handed out. */
const SYSTEMS: Asked[] = [
  {
    protocol: 'REST, described by OpenAPI',
    address: `${DEMO}/slipway/openapi.json`,
    name: 'Sales records',
    secrets: [
      ['Client id', 'upright-mirror'],
      ['Client secret', 'slip-4417-demo'],
    ],
    reads: true,
    collections: ['deals', 'invoices', 'organisations', 'people', 'products'],
    steps: 7,
  },
  {
    protocol: 'OData v4',
    address: `${DEMO}/ballast/odata/`,
    name: 'Office books',
    signIn: 'basic',
    secrets: [
      ['User name', 'UPRIGHT-SVC'],
      ['Password', 'ballast-demo-20931'],
    ],
    reads: false,
    collections: ['Customers', 'Invoices', 'Items', 'SalesOrders'],
    steps: 7,
  },
  {
    protocol: 'REST, described by OpenAPI',
    address: `${DEMO}/pennant/openapi.yaml`,
    name: 'Letters out',
    secrets: [['Key', 'pennant-7731-demo']],
    reads: true,
    collections: ['companies', 'lists', 'people', 'products'],
    steps: 7,
  },
  {
    protocol: 'Folder of files',
    address: process.env.UPRIGHT_DROP!,
    name: 'Orders in',
    reads: false,
    collections: ['kiosk-orders', 'partner-orders', 'school-orders', 'webshop-orders'],
    steps: 6,
  },
];

for (const system of SYSTEMS)
  test(`${system.name}: connected by the screens alone, the test green and the catalogue right`, async ({ page }) => {
    await signIn(page);
    await page.goto('/systems');
    await page.getByRole('link', { name: 'Add a system' }).click();
    await page.getByRole('radio', { name: system.protocol }).check();
    await page.getByLabel(/^(Address of|Path of)/).fill(system.address);
    if (system.protocol !== 'Folder of files') await page.getByLabel('It may be in a private network').check();
    if (system.reads) {
      await page.getByRole('button', { name: 'Read the description' }).click();
      await expect(page.getByRole('region', { name: 'Collections' })).toContainText(system.collections[0]!);
    }
    await page.getByLabel('Name', { exact: true }).fill(system.name);
    if (system.signIn) await page.getByLabel('Sign-in').selectOption(system.signIn);
    for (const [label, secret] of system.secrets ?? []) await page.getByLabel(label, { exact: true }).fill(secret);
    await page.getByRole('button', { name: 'Test the connection' }).click();
    await expect(page.getByRole('complementary').getByText('passed', { exact: true })).toHaveCount(system.steps, { timeout: 60_000 });
    await page.getByRole('button', { name: 'Keep this system' }).click();
    await expect(page.getByRole('heading', { name: system.name })).toBeVisible();
    for (const collection of system.collections)
      await expect(page.getByRole('navigation', { name: 'Collections' }).getByRole('button', { name: new RegExp(`^${collection} ?\\d+$`) })).toBeVisible({ timeout: 60_000 });
    if (system.protocol === 'Folder of files') await putRowsTogether(page);
  });

/** A file with a row for each line of an order becomes orders with lines, once the connection says so. */
async function putRowsTogether(page: Page) {
  await page.getByRole('link', { name: 'Connection' }).click();
  await page.getByRole('button', { name: 'Look at its files' }).click();
  const collections = page.getByRole('region', { name: 'Collections' });
  await collections.getByRole('button', { name: /partner-orders/ }).click();
  await collections.getByLabel('Rows are one record that say the same in').selectOption('order_no');
  for (const column of ['line_id', 'sku', 'quantity', 'price']) await collections.getByLabel(column, { exact: true }).check();
  await expect(collections.getByText('rows of one order_no are one record')).toBeVisible();
  await page.getByRole('button', { name: 'Keep the changes' }).click();
  await page.getByRole('link', { name: 'Catalogue' }).click();
  const again = page.getByRole('button', { name: 'Read the catalogue again' });
  await again.click();
  await expect(page.getByRole('button', { name: /^partner-orders\[lines\]/ })).toBeVisible({ timeout: 60_000 });
  await page.getByRole('button', { name: /^partner-orders ?\d+$/ }).click();
  await expect(page.getByText('lines[].sku')).toBeVisible();
  await expect(page.getByText('order_no', { exact: true })).toBeVisible();
}

const FAULTS: [string, object, string][] = [
  ['down', { down: true }, "can't be reached|broke"],
  ['a web page', { answersHtml: true }, 'answered with a web page instead of data'],
  ['the wrong secret', { wrongSecret: true }, 'it gave no access token (401)'],
  ['no right to read', { forbidden: true }, 'does not allow its'],
  ['errors of its own', { errorEvery: 1 }, 'answered with an error of its own (500)'],
];

test('each fault gives its own sentence, and the test is green again when it ends', async ({ page }) => {
  test.setTimeout(180_000);
  await signIn(page);
  await page.goto('/systems/sales/connection');
  const steps = page.getByRole('region', { name: 'Test of the connection' });
  const go = async () => {
    await steps.getByRole('button', { name: 'Test the connection' }).click();
    await expect(steps.getByRole('button', { name: 'Test the connection' })).toBeEnabled({ timeout: 60_000 });
  };
  for (const [, fault, words] of FAULTS) {
    await fetch(`${DEMO}/faults/api/slipway`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify(fault) });
    await go();
    const sentence = new RegExp(words.replace(/[()]/g, '\\$&'));
    await expect(steps.getByText(sentence).first()).toBeVisible();
    // A reading that meets it says the same, and the next one goes on.
    const read = await page.request.post('/api/systems/sales/survey', { headers: { 'X-Upright-Token': (await (await page.request.get('/api/session')).json()).token } });
    expect(read.status()).toBe(200);
    const survey = async () => (await (await page.request.get('/api/systems/sales')).json()).survey;
    await expect.poll(async () => (await survey()).endedAt, { timeout: 60_000 }).not.toBeNull();
    expect(`${(await survey()).fault} ${(await survey()).words}`).toMatch(sentence);
    await fetch(`${DEMO}/faults/api/slipway`, { method: 'DELETE' });
  }
  await fetch(`${DEMO}/faults/api/slipway`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ clockSeconds: 600 }) });
  await go();
  await expect(steps.getByText(/Its clock is 10 minutes ahead of ours/)).toBeVisible();
  await fetch(`${DEMO}/faults/api/slipway`, { method: 'DELETE' });
  await go();
  await expect(steps.getByText('passed', { exact: true })).toHaveCount(7);
});

test('a field that came, one of another type and one that went are listed with the mirrors they touch, before any run', async ({ page }) => {
  await signIn(page);
  await page.goto('/systems/slipway');
  await readAgain(page);
  await fetch(`${DEMO}/faults/api/slipway`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({
      fields: [
        { kind: 'add', collection: 'organisations', field: 'riverGrade', type: 'integer' },
        { kind: 'retype', collection: 'organisations', field: 'phoneMain', type: 'integer' },
        { kind: 'remove', collection: 'organisations', field: 'vatNumber' },
      ],
    }),
  });
  await readAgain(page);
  await page.getByRole('navigation', { name: 'Slipway CRM' }).getByRole('link', { name: /Changes/ }).click();
  const row = (text: RegExp) => page.getByRole('listitem').filter({ hasText: text });
  await expect(row(/riverGrade appeared/)).toContainText('no mirror uses it');
  await expect(row(/phoneMain has another type/)).toContainText('Customers · Telephone');
  await expect(row(/vatNumber vanished/)).toContainText('Customers · VAT number');
  await page.getByRole('button', { name: 'I have seen them' }).click();
  await expect(page.getByText('All of them were looked at.')).toBeVisible();
  await fetch(`${DEMO}/faults/api/slipway`, { method: 'DELETE' });
  await page.goto('/systems/slipway');
  await readAgain(page);
});

test('no secret stands in clear in the database, the log or any answer', async ({ page }) => {
  await signIn(page);
  const secrets = ['slip-4417-demo', 'ballast-demo-20931', 'pennant-7731-demo', btoa('UPRIGHT-SVC:ballast-demo-20931')];
  const parts = new Map(process.env.UPRIGHT_DATABASE!.split(';').map((p) => p.split('=') as [string, string]));
  const dump = execFileSync('pg_dump', ['-h', parts.get('Host')!, '-p', parts.get('Port')!, '-U', parts.get('Username')!, parts.get('Database')!], {
    env: { ...process.env, PGPASSWORD: parts.get('Password') ?? '' },
    maxBuffer: 512 * 1024 * 1024,
  }).toString();
  expect(dump).toContain('system_call');
  const texts = [dump, readFileSync(process.env.UPRIGHT_WEB_LOG!, 'utf8')];
  for (const key of ['slipway', 'ballast', 'sales', 'office', 'letters']) {
    for (const path of ['', '/catalogue', '/changes', '/calls']) texts.push(await (await page.request.get(`/api/systems/${key}${path}`)).text());
    for (const call of (await (await page.request.get(`/api/systems/${key}/calls`)).json()).slice(0, 20))
      texts.push(await (await page.request.get(`/api/systems/${key}/calls/${call.id}?personal=true`)).text());
  }
  for (const text of texts) for (const secret of secrets) expect(text.includes(secret), secret).toBe(false);
});

async function readAgain(page: Page) {
  const ask = page.getByRole('button', { name: 'Read the catalogue again' });
  await expect(ask).toBeEnabled({ timeout: 60_000 });
  await ask.click();
  await expect(page.getByText(/looked at just now/)).toBeVisible({ timeout: 60_000 });
  await expect(ask).toBeEnabled({ timeout: 60_000 });
}
