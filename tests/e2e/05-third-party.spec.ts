import { type ChildProcess, spawn } from 'node:child_process';
import { createServer } from 'node:net';
import { expect, test, type Page } from '@playwright/test';
import { signIn } from './world';

/** Servers that others wrote, for any purpose; nothing of ours knows them. */
const running: ChildProcess[] = [];

test.afterAll(() => running.forEach((p) => p.kill()));

test('an OData v4 service that others wrote is connected and read whole', async ({ page }) => {
  const port = await start('odata.cjs');
  await signIn(page);
  await page.goto('/systems/new');
  await page.getByRole('radio', { name: 'OData v4' }).check();
  await page.getByLabel('Address of the service').fill(`http://127.0.0.1:${port}/`);
  await keep(page, 'Harbour boats');
  await expect(page.getByRole('navigation', { name: 'Collections' })).toContainText('boats');
  await expect(page.getByText('over 1,234 records')).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole('row', { name: /^length Edm\.Decimal 100 %/ })).toBeVisible();
});

test('a REST server that others wrote is connected with an uploaded description and read whole, page by page', async ({ page }) => {
  const port = await start('rest.cjs');
  await signIn(page);
  await page.goto('/systems/new');
  await page.getByLabel('Address of the OpenAPI document').fill(`http://127.0.0.1:${port}/`);
  await page.locator('input[type=file]').setInputFiles('third-party/rest.openapi.yaml');
  await expect(page.getByText('The uploaded document is used.')).toBeVisible();
  await keep(page, 'Moorings');
  await expect(page.getByRole('row', { name: /^depth number 100 % 9/ })).toBeVisible({ timeout: 60_000 });
  await page.getByRole('navigation', { name: 'Moorings' }).getByRole('link', { name: 'Calls' }).click();
  await expect(page.getByText('/moorings?_limit=100&_page=4')).toBeVisible();
});

async function keep(page: Page, name: string) {
  await page.getByLabel('It may be in a private network').check();
  await page.getByLabel('Name', { exact: true }).fill(name);
  await page.getByRole('button', { name: 'Test the connection' }).click();
  await expect(page.getByRole('complementary').getByText(/^passed/)).toHaveCount(7, { timeout: 60_000 });
  await page.getByRole('button', { name: 'Keep this system' }).click();
  await expect(page.getByRole('heading', { name })).toBeVisible();
}

async function start(script: string): Promise<number> {
  const port = await new Promise<number>((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });
  const server = spawn(process.execPath, [`third-party/${script}`, String(port)], { stdio: ['ignore', 'pipe', 'inherit'] });
  running.push(server);
  await new Promise((resolve) => server.stdout.once('data', resolve));
  return port;
}
