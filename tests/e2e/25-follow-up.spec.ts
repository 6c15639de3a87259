import { expect, test, type Page } from '@playwright/test';
import { forEveryone, picture, signIn } from './world';

// A check over what two systems say of a person: seen before it is kept, looked at again, answered by a person, and carried by a field.
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  page.on('dialog', (d) => void d.accept());
  await signIn(page);
});

test('people who are said to work elsewhere are flagged, and one click leads to them from Today', async () => {
  await page.goto('/mirrors/people');
  await page.getByRole('button', { name: 'Run now' }).click();
  await expect(page.getByText(/records read/)).toBeVisible({ timeout: 80_000 });
  await page.goto('/mirrors/people');
  await page.getByRole('link', { name: 'Follow-up checks' }).click();
  await page.getByRole('button', { name: 'Look now' }).click();
  await expect(page.getByText(/last just now over \d+ records/)).toBeVisible();
  const flagged = page.getByRole('region', { name: 'Another company' });
  await expect(flagged.getByRole('button', { name: 'Fine as it is' }).first()).toBeVisible();
  await picture(page, 'checks');
  await forEveryone(page);

  await page.goto('/');
  const need = page.getByRole('listitem').filter({ hasText: 'flagged: Another company' });
  await need.getByRole('link', { name: 'Look' }).click();
  await flagged.getByRole('listitem').first().getByRole('link').first().click();
  await expect(page.getByRole('list', { name: 'Flagged by' })).toContainText('in Pennant Mail');
});

test('a person says that one is fine, and it is flagged no more', async () => {
  await page.goto('/mirrors/people/checks');
  const flagged = page.getByRole('region', { name: 'Another company' });
  await expect(flagged.getByRole('button', { name: 'Fine as it is' }).first()).toBeVisible();
  const before = await flagged.getByRole('button', { name: 'Fine as it is' }).count();
  await flagged.getByRole('button', { name: 'Fine as it is' }).first().click();
  await expect(flagged.getByText('1 fine as they are')).toBeVisible();
  await expect(flagged.getByRole('button', { name: 'Fine as it is' })).toHaveCount(before - 1);
  await flagged.getByRole('button', { name: 'Flag it again' }).click();
  await expect(flagged.getByRole('button', { name: 'Fine as it is' })).toHaveCount(before);
});

test('a new check shows what it would flag, tells what is wrong with it, and is kept', async () => {
  await page.goto('/mirrors/people/checks');
  await page.getByRole('button', { name: 'New check' }).click();
  await page.getByLabel('What it is called').fill('A name that differs');
  const condition = page.getByRole('combobox', { name: 'It flags a record when this is true' });
  await condition.fill('[Slipway CRM.Surname] <> 1');
  await page.getByRole('button', { name: 'See what it would flag' }).click();
  await expect(page.getByRole('alert')).toContainText('Slipway CRM.Surname');
  await condition.fill('[Slipway CRM.First name] <> [Pennant Mail.First name]');
  await page.getByRole('button', { name: 'See what it would flag' }).click();
  await expect(page.getByRole('region', { name: 'What it would flag' })).toContainText(/\d+ of \d+ records/);
  await forEveryone(page);
  await page.getByLabel('It is looked at').selectOption('every day');
  await page.getByLabel('At', { exact: true }).fill('06:15');
  await page.getByRole('button', { name: 'Keep it' }).click();
  const kept = page.getByRole('region', { name: 'A name that differs' });
  await expect(kept).toContainText('every day at 06:15');
  await kept.getByRole('button', { name: 'Take it away' }).click();
  await expect(kept).toBeHidden();
});

test('a field that is filled by a key is shown as it would be stored before anything is published', async () => {
  const { token } = await (await page.request.get('/api/session')).json();
  const worked = async (formula: string) => {
    const answer = await page.request.post('/api/mirrors/people/draft/worked-out', {
      headers: { 'X-Upright-Token': token },
      data: { field: 'Follow up', type: 'text', formula, sample: 1, find: null },
    });
    expect(answer.status()).toBe(200);
    return answer.json();
  };
  // What the CRM itself says of the sample, fetched by the id that it has there, is what is agreed.
  const fetched = await worked('FETCHED("Slipway CRM"; "people"; REFERENCE("Slipway CRM"); "firstName")');
  expect(fetched.value).toBe((await worked('[First name]')).value);
  expect(fetched.value).toBeTruthy();
  expect((await worked('FETCHED("Slipway CRM"; "people"; "000000"; "firstName")')).value).toBe('');
  expect((await worked('FETCHED("Harbour register"; "berths"; "1"; "length")')).problem).toContain('Harbour register');
  expect((await worked('FETCHED(LEFT("Slipway CRM"; 11); "people"; "1"; "x")')).problem).toContain('in quotes');
});
