import { expect, test } from '@playwright/test';
import { customers, doubted, editInBallast, editInSlipway, keyOf, organisations, runNow, shared, signIn } from './world';

test.describe.configure({ mode: 'serial' });

test('a wrong password is refused in words', async ({ page }) => {
  await page.goto('/');
  await page.getByLabel('E-mail').fill('maren@saltmarsh.example');
  await page.getByLabel('Password').fill('not this');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('alert')).toHaveText('The e-mail address or the password is not right.');
});

test('the first run makes both systems hold the same, and the second writes nothing', async ({ page }) => {
  await signIn(page);
  await runNow(page);
  await expect(page.getByText(/Wrote \d+ times\./)).toBeVisible();

  const doubles = await doubted(page);
  expect(doubles.size).toBeGreaterThan(0);
  const inSlipway = new Map((await organisations()).filter((o) => !doubles.has(o.id)).map((o) => [keyOf(o.email, o.name), o]));
  const inBallast = new Map((await customers()).map((c) => [keyOf(c.EMail, c.CustomerName), c]));
  expect([...inSlipway.keys()].sort()).toEqual([...inBallast.keys()].sort());
  for (const [email, organisation] of inSlipway) {
    const customer = inBallast.get(email)!;
    expect(customer.CustomerName.toLowerCase()).toBe(organisation.name.toLowerCase()); // The office keeps some in capitals.
    expect(customer.Street).toBe(organisation.address.street);
    const digits = (text: string | null) => (text ?? '').replace(/\D/g, '');
    expect(digits(organisation.phoneMain).endsWith(digits(customer.TelephoneNo).replace(/^0/, ''))).toBe(true);
  }

  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();
  await expect(page.getByText('Every side holds what is agreed.')).toBeVisible();
});

test('two telephones make one conflict, which one key decides', async ({ page }) => {
  await signIn(page);
  const customer = await shared(page, 3);
  await editInSlipway(page, customer.slipway, 'Main telephone', '+44 131 496 0111');
  await editInBallast(page, customer.ballast, 'TELEPHONE NO', '+441314960222');
  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();

  await page.getByRole('link', { name: /Conflicts/ }).click();
  await expect(page.getByText(/1 of 1$/)).toBeVisible();
  await expect(page.getByRole('heading', { name: customer.title })).toBeVisible();
  await page.keyboard.press('2');
  await expect(page.getByText('No conflict waits.')).toBeVisible();
  await runNow(page);

  expect((await organisations()).find((o) => o.id === customer.slipway)!.phoneMain).toBe('+44 131 496 0222');
  expect((await customers()).find((c) => c.CustomerNo === customer.ballast)!.TelephoneNo).toBe('+441314960222');

  await page.goto(`/records/${customer.link}`);
  const timeline = page.getByRole('complementary', { name: 'Timeline' });
  await expect(timeline.getByText(/Telephone.*in conflict/)).toBeVisible();
  await expect(timeline.getByText(/Slipway CRM and Ballast ERP changed it differently/)).toBeVisible();
  await expect(timeline.getByText(/Maren Voll decided/)).toBeVisible();
  await expect(timeline.getByText("Ballast ERP's value", { exact: true })).toBeVisible();
  await expect(timeline.getByText(/\+44 131 496 0111.*→.*\+44 131 496 0222/).first()).toBeVisible();
  await page.getByRole('row', { name: /Telephone/ }).getByRole('button', { name: 'why?' }).click();
  await expect(page.getByRole('region', { name: 'Why Telephone' })).toContainText('Maren Voll');
});

test('different fields changed on the two sides both travel', async ({ page }) => {
  await signIn(page);
  const customer = await shared(page, 5);
  await editInSlipway(page, customer.slipway, 'Name', 'Heron Wood Paddle Sheds');
  await editInBallast(page, customer.ballast, 'E-MAIL', 'sheds@heronwood.example');
  await runNow(page);
  await expect(page.getByText('Wrote 2 times.')).toBeVisible();

  await expect(page.getByRole('link', { name: /Conflicts/ })).toContainText('0');
  expect((await organisations()).find((o) => o.id === customer.slipway)).toMatchObject({ name: 'Heron Wood Paddle Sheds', email: 'sheds@heronwood.example' });
  expect((await customers()).find((c) => c.CustomerNo === customer.ballast)).toMatchObject({ CustomerName: 'Heron Wood Paddle Sheds', EMail: 'sheds@heronwood.example' });
});

test('a reader may look and may not run', async ({ page }) => {
  await signIn(page, 'ada@saltmarsh.example', 'look-only-please');
  await page.goto('/mirrors/customers');
  await expect(page.getByRole('button', { name: 'Run now' })).toBeDisabled();
  const session = await (await page.request.get('/api/session')).json();
  const answer = await page.request.post('/api/mirrors/customers/runs', { headers: { 'X-Upright-Token': session.token } });
  expect(answer.status()).toBe(403);
});
