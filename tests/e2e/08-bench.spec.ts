import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { customers, editInSlipway, runNow, shared, signIn } from './world';

test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());

test.beforeAll(async ({ browser }) => {
  test.setTimeout(180_000);
  page = await (
    await browser.newContext({
      baseURL: process.env.UPRIGHT_WEB,
      viewport: { width: 1280, height: 800 },
    })
  ).newPage();
  page.on('dialog', (d) => void d.accept());
  await signIn(page);
  await runNow(page);
  for (const system of ['slipway', 'ballast']) {
    await page.goto(`/systems/${system}`);
    const again = page.getByRole('button', {
      name: 'Read the catalogue again',
    });
    await again.click();
    await expect(again).toBeEnabled({ timeout: 90_000 });
    await expect(page.getByText(/Version \d+, looked at/)).toBeVisible();
  }
});

const cell = (name: string) => page.getByRole('table', { name: 'Fields of the draft' }).getByRole('button', { name, exact: true });
const panel = () => page.getByRole('complementary');

test('a suggestion is taken, undone, done again and thrown away; what is live never changes', async () => {
  test.setTimeout(240_000);
  await page.goto('/mirrors/customers/fields');
  await page.getByText(/\d+ suggestions?, \d+ sure/).click();
  const suggestions = page.getByRole('region', { name: 'Suggestions' });
  await suggestions.getByRole('button', { name: /^Show the other/ }).click();
  await expect(suggestions.getByRole('button', { name: 'Take accountNumber and CustomerNo' })).toBeVisible();
  await expect(suggestions.getByText('updatedAt')).toHaveCount(0);
  await suggestions.getByRole('button', { name: 'Take accountNumber and CustomerNo' }).click();
  await expect(cell('CustomerNo')).toBeVisible();
  await expect(page.getByText(/Draft, 1 edit since version 1/)).toBeVisible();
  await page.keyboard.press('z');
  await expect(cell('CustomerNo')).toHaveCount(0);
  await page.keyboard.press('y');
  await expect(cell('CustomerNo')).toBeVisible();
  await page.getByRole('button', { name: 'Discard' }).click();
  await expect(page.getByText('As it is live, version 1.')).toBeVisible();
  await expect(cell('CustomerNo')).toHaveCount(0);
});

test('a formula is tried on real values as it is typed, its loss is told, and a mistake is told with its place', async () => {
  await cell('CustomerName').click();
  await panel().getByLabel('Converted as').selectOption('a formula');
  await panel().getByLabel('To Ballast ERP').fill('UPPER(value');
  await expect(
    panel()
      .getByText(/The brackets of UPPER at character 1 are not closed/)
      .first(),
  ).toBeVisible();
  await panel().getByLabel('To Ballast ERP').fill('UPPER(value)');
  await expect(panel().getByText(/lose something/)).toBeVisible();
  await panel().getByLabel('To the agreed record').click();
  await expect(page.getByText(/saved · last: Convert CustomerName by a formula/)).toBeVisible();
});

test('from two examples a formula is found, and shown on other values before it is used', async () => {
  await cell('address.town').click();
  await panel().getByRole('button', { name: 'Show me what you want' }).click();
  const wanted = panel().getByRole('region', { name: 'Show me what you want' });
  for (const n of [1, 2]) {
    const row = wanted.getByLabel(`Wanted for value ${n}`);
    const value = await row.locator('xpath=preceding-sibling::span').textContent();
    await row.fill(value!.toUpperCase());
  }
  await wanted.getByRole('button', { name: 'Find the formula' }).click();
  await expect(wanted.getByText('UPPER([value])')).toBeVisible();
  if (process.env.UPRIGHT_PICTURES) await page.screenshot({ path: `${process.env.UPRIGHT_PICTURES}/bench.png` });
  const found = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
  expect(found.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 120)).join(' | ')}`)).toEqual([]);
});

/** From the bench to the step where what changes is seen, and published. */
async function publish(version: number) {
  await page.getByRole('button', { name: 'Publish…' }).click();
  await expect(page.getByRole('heading', { name: `What version ${version} changes` })).toBeVisible();
  await page.getByLabel('Why, for those who read').fill(`Why version ${version}`);
  await page.getByRole('button', { name: `Publish version ${version}` }).click();
  await expect(page.getByText(`Nothing was changed since version ${version}, which is live.`)).toBeVisible();
  await expect(page.getByRole('region', { name: 'Versions' }).getByText(`Why version ${version}`)).toBeVisible();
}

test('published, an edit reaches the ERP in capitals, and the run after it is quiet: nothing comes back as a change', async () => {
  test.setTimeout(180_000);
  const customer = await shared(page, 40);
  await page.goto('/mirrors/customers/fields');
  await publish(2);
  await runNow(page);
  await editInSlipway(page, customer.slipway, 'Name', 'Brae Hire & Tackle');
  await runNow(page);
  expect((await customers()).find((c) => c.CustomerNo === customer.ballast)!.CustomerName).toBe('BRAE HIRE & TACKLE');
  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();
});

test('a field that nobody gives is worked out of the others and of the id in the CRM, and the ERP gets it', async () => {
  test.setTimeout(180_000);
  await page.goto('/mirrors/customers/fields');
  await page.getByRole('button', { name: 'Add a field' }).click();
  await panel().getByLabel('Name', { exact: true }).fill('Label');
  await panel().getByLabel('Name', { exact: true }).press('Enter');
  await panel().getByRole('button', { name: 'Work it out by a formula' }).click();
  const formula = panel().getByRole('combobox', { name: 'Worked out as' });
  await formula.fill('JOIN(", "; nam; town)');
  await expect(panel().getByText(/There is no field called nam/)).toBeVisible();
  await formula.fill('JOIN(", "; name; town) & " / " & REFERENCE("Slipway CRM")');
  await expect(
    panel().getByText(/That is: name and town, as far as they are filled, with “, ” between, then “ \/ ”, then the id in “Slipway CRM”\./),
  ).toBeVisible();
  await formula.blur();
  await expect(page.getByText(/saved · last: Work Label out by a formula/)).toBeVisible();
  const row = page
    .getByRole('table', { name: 'Fields of the draft' })
    .getByRole('row')
    .filter({ has: page.getByRole('button', { name: 'Label worked out' }) });
  await row.locator('[data-cell$=".1"]').click();
  await panel().getByLabel('Field of Ballast ERP').fill('DeliveryInstructions');
  await expect(page.getByText(/saved · last: Map Label to DeliveryInstructions/)).toBeVisible();
  await expect(panel().getByText(/The label is worked out: .* Ballast ERP gets it\./)).toBeVisible();
  await publish(3);
  await runNow(page);
  const customer = await shared(page, 41);
  const town = (await (await page.request.get(`/api/records/${customer.link}`)).json()).fields.find((f: { name: string }) => f.name === 'Town').agreed.value;
  const held = async () => (await customers()).find((c) => c.CustomerNo === customer.ballast) as unknown as { DeliveryInstructions: string };
  expect((await held()).DeliveryInstructions).toBe(`${customer.title}${town ? `, ${town}` : ''} / ${customer.slipway}`);
  await editInSlipway(page, customer.slipway, 'Town', 'Lantern Quay');
  await runNow(page);
  expect((await held()).DeliveryInstructions).toBe(`${customer.title}, Lantern Quay / ${customer.slipway}`);
  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();
});

test('a reader sees the fields and can change nothing', async ({ browser }) => {
  const other = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB })).newPage();
  await signIn(other, 'ada@saltmarsh.example', 'look-only-please');
  await other.goto('/mirrors/customers/fields');
  await expect(other.getByText('CustomerName').first()).toBeVisible();
  await expect(other.getByRole('button', { name: 'Add a field' })).toHaveCount(0);
  await other.context().close();
});
