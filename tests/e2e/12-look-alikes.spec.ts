import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { createInSlipway, customers, DEMO, lookedAt, organisations, runNow, signIn } from './world';

test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());

const ballast = async (body: object) => {
  const authorization = `Basic ${btoa('UPRIGHT-SVC:ballast-demo-20931')}`;
  const answer = await fetch(`${DEMO}/ballast/odata/Customers`, { method: 'POST', headers: { authorization, 'content-type': 'application/json' }, body: JSON.stringify(body) });
  expect(answer.status).toBe(201);
  return answer.json();
};
const waiting = async () => (await (await page.request.get('/api/look-alikes')).json()).rows as { id: number; mirror: string; system: string | null }[];
const pairs = async () => (await (await page.request.get('/api/look-alikes')).json()).rows.reduce((sum: number, r: { pairs: number }) => sum + r.pairs, 0) as number;
const heading = () => page.getByRole('heading', { level: 2 }).filter({ hasText: /^(Are these|Is this)/ });
const place = () => page.getByText(/^\d+ of \d+$/);
const nameOf = async (number: string) => (await customers()).find((c) => c.CustomerNo === number)!.CustomerName;

test.beforeAll(async ({ browser }) => {
  test.setTimeout(180_000);
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
  await runNow(page);

  // Twenty customers that somebody enters once more, without looking.
  const there = (await organisations()) as unknown as { name: string; email: string | null; phoneMain: string | null; address: Record<string, string> }[];
  for (const o of there.filter((x) => x.email && x.phoneMain && x.address.street).slice(10, 32))
    await createInSlipway({ name: o.name.replace(/(\w{4})(\w)/, '$1'), phoneMain: o.phoneMain, address: o.address });
});

test('what was entered twice is asked about, and created nowhere meanwhile', async () => {
  test.setTimeout(120_000);
  const before = (await customers()).length;
  await runNow(page);
  expect((await customers()).length).toBe(before);
  // An event of the CRM may have begun a run of its own meanwhile.
  const twice = async () => (await waiting()).filter((r) => r.mirror === 'customers' && r.system === 'Slipway CRM').length;
  const told = async () => JSON.stringify({ waiting: await waiting(), runs: await (await page.request.get('/api/runs?mirror=customers')).json() }).slice(0, 6000);
  await expect.poll(twice, { timeout: 60_000 }).toBeGreaterThanOrEqual(20).catch(async (e: Error) => { throw new Error(`${e.message}\n${await told()}`); });
});

test('twenty look-alikes are worked through from the keyboard, and two are undone', async () => {
  test.setTimeout(300_000);
  await page.goto('/look-alikes');
  await expect(heading()).toBeVisible();
  await page.getByLabel('Which look-alikes').selectOption('in Slipway CRM');
  await expect(page).toHaveURL(/only=in%20Slipway%20CRM/);
  await expect(place()).toHaveText(new RegExp(` of ${(await waiting()).filter((r) => r.system === 'Slipway CRM').length}$`));
  await page.getByLabel('Which look-alikes').selectOption('');
  const all = (await waiting()).length;
  for (let n = 0; n < 20; n++) {
    // The screen shows what waits now: one of several pairs of the same records may be left of those that were decided.
    await expect(place()).toHaveText(new RegExp(` of ${(await waiting()).length}$`));
    const [asked, before, address] = [await heading().textContent(), await pairs(), page.url()];
    await page.keyboard.press(n % 4 === 3 ? 'd' : asked!.startsWith('Is this') ? '1' : 's');
    // One that would be a second record of a side in one link is refused in words: then they are different.
    const refused = page.getByRole('alert').filter({ hasText: 'would have two records for one' });
    await expect.poll(async () => (await pairs()) < before || (await refused.count()) > 0, { timeout: 30_000 }).toBe(true);
    if ((await refused.count()) > 0) await page.keyboard.press('d');
    await expect.poll(pairs, { timeout: 30_000 }).toBeLessThan(before);
    await expect.poll(() => page.url()).not.toBe(address);
    await expect(page.getByRole('button', { name: /^Different/ })).toBeEnabled();
  }
  expect((await waiting()).length).toBeLessThan(all - 10);

  for (let n = 0; n < 2; n++) {
    const before = await pairs();
    await page.keyboard.press('u');
    await expect.poll(pairs, { timeout: 30_000 }).toBeGreaterThan(before);
    await expect(place()).toHaveText(new RegExp(` of ${(await waiting()).length}$`));
  }
  await page.keyboard.press('n');
  await expect(page.getByText('Not now', { exact: true }).first()).toBeVisible();

  // What was kept counts for both; what is different is created; nothing is created twice.
  const before = (await customers()).length;
  await runNow(page);
  const after = (await customers()).length;
  expect(after - before).toBeLessThanOrEqual(10);
  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();
  expect((await customers()).length).toBe(after);
});

test('each likelihood is the sum of what stands beside it, to the last digit', async () => {
  await page.goto('/look-alikes');
  await expect(heading()).toBeVisible();
  const table = page.getByRole('table');
  const figures = (await table.locator('tbody td.bg-alike-tint').allTextContents()).map((t) => Number(/([+−]?\d+\.\d\d|0)$/.exec(t)![1]!.replace('−', '-')));
  const sum = figures.pop()!;
  expect(figures.length).toBeGreaterThan(3);
  expect(Math.round(figures.reduce((a, b) => a + b, 0) * 100)).toBe(Math.round(sum * 100));
  const likely = (100 / (1 + 2 ** -sum)).toFixed(1);
  await expect(table.getByText(`${Math.min(99.9, Number(likely))} %`)).toBeVisible();
});

test('a wrong link is broken, what had been written across is put back, and the right one is found', async () => {
  test.setTimeout(240_000);
  // The office typed another customer's VAT number: the number links the wrong one, and the right one stays alone.
  const place = { Street: '7 Otter Lane', City: 'Kelburn', PostCode: 'KB7 7OT', CountryCode: 'GBR' };
  const right = await ballast({ CustomerName: 'Lanternfish Kayak Hire', TelephoneNo: '01314960877', ...place, NameInCapitals: false });
  const wrong = await ballast({ CustomerName: 'Quillwort Paddle School', TelephoneNo: '01614960455', Street: '90 Mill Lane', City: 'Tidewell', PostCode: 'TW9 0ML', CountryCode: 'GBR', TaxRegistrationNo: 'GB990011223', NameInCapitals: false });
  await createInSlipway({
    name: 'Lanternfish Kayak Hire Ltd',
    phoneMain: '+44 131 496 0877',
    vatNumber: 'GB990011223',
    address: { street: '7 Otter Lane', town: 'Kelburn', postcode: 'KB7 7OT', country: 'United Kingdom' },
  });
  await runNow(page);
  expect((await nameOf(wrong.CustomerNo)).toLowerCase()).toBe('lanternfish kayak hire ltd');

  const list = await (await page.request.get(`/api/records?mirror=customers&text=${wrong.CustomerNo}`)).json();
  await page.goto(`/records/${list.rows[0].link}`);
  await page.getByRole('button', { name: 'This is not the same…' }).click();
  const links = page.getByRole('region', { name: 'Links' });
  await links.getByRole('radio', { name: new RegExp(wrong.CustomerNo) }).check();
  await expect(links.getByRole('row', { name: /Ballast ERP Name .*Quillwort Paddle School/i })).toBeVisible();
  await links.getByRole('button', { name: 'Take them apart' }).click();
  await expect(page).toHaveURL(/find=1/);
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible();

  await page.goto(`/records/${list.rows[0].link}`);
  await page.getByRole('button', { name: 'Find the right one…' }).click();
  const candidate = links.getByRole('listitem').filter({ hasText: right.CustomerNo });
  await expect(candidate).toContainText('%');
  await links.getByRole('searchbox').fill('lanternfish');
  await candidate.getByRole('button', { name: /is the same$/ }).click();
  await expect(page.getByText(`Customers / ${right.CustomerNo}`)).toBeVisible();

  await runNow(page);
  expect((await nameOf(wrong.CustomerNo)).toLowerCase()).toBe('quillwort paddle school');
  expect((await nameOf(right.CustomerNo)).toLowerCase()).toBe('lanternfish kayak hire ltd');
  expect((await customers()).filter((c) => c.CustomerName.toLowerCase().startsWith('lanternfish')).length).toBe(1);
  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();
});

test('people are linked by likelihood alone, and a second first load changes nothing', async () => {
  test.setTimeout(240_000);
  const run = async () => {
    await page.goto('/mirrors/people');
    await page.getByRole('button', { name: 'Run now' }).click();
    await expect(page).toHaveURL(/\/runs\/\d+/);
    await expect(page.getByText(/records read/)).toBeVisible({ timeout: 80_000 });
  };
  await run();
  await lookedAt(page);
  await run();
  const linked = async () => (await (await page.request.get('/api/records?mirror=people&count=1000')).json()).rows.filter((r: { ids: (string | null)[] }) => r.ids.every(Boolean)).length as number;
  const [links, asked] = [await linked(), (await waiting()).length];
  expect(links).toBeGreaterThan(60);
  await run();
  await expect(page.getByText('Nothing to write.')).toBeVisible();
  expect([await linked(), (await waiting()).length]).toEqual([links, asked]);
});

test('recognising is tried on the real records before anything is linked', async () => {
  test.setTimeout(120_000);
  await page.goto('/mirrors/people/recognising');
  await expect(page.getByLabel('Last name is compared as')).toHaveValue('family');
  await page.getByRole('button', { name: 'Try it on the real records' }).click();
  const words = page.getByText(/links made\s+by themselves/);
  await expect(words).toBeVisible({ timeout: 60_000 });
  const figures = async () => (await words.textContent())!.match(/Of ([\d,]+) links made by themselves .* ([\d,]+) pairs? will be asked/)!.slice(1).map((n) => Number(n.replace(/,/g, '')));
  const [linked, asked] = await figures();
  await page.getByLabel('Linked by themselves from').selectOption('0.8');
  await expect(page.getByText(/saved · last: Link from 80 % on/)).toBeVisible();
  await expect.poll(async () => (await figures())[0]).toBeGreaterThanOrEqual(linked!);
  expect((await figures())[1]).toBeLessThanOrEqual(asked!);
  await expect(page.getByRole('complementary').getByText(/make it 80 % likely that they are one thing/)).toBeVisible();
  await page.getByRole('table').last().getByRole('button', { name: /%$/ }).first().click();
  await expect(page.getByText('before any evidence')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText(/As it is live, version 1\./)).toBeVisible();

  // What people said of look-alikes can be learned from: what that would change is told before it is taken.
  await page.goto('/mirrors/customers/recognising');
  await page.getByRole('button', { name: 'Try it on the real records' }).click();
  await expect(page.getByText(/\d+ pairs were decided by people\. Learned from, too, [\d,]+ would be linked/)).toBeVisible({ timeout: 60_000 });
});

for (const theme of ['light', 'dark'] as const)
  test(`look-alikes and recognising can be used by everyone, in the ${theme} theme`, async () => {
    await page.emulateMedia({ colorScheme: theme });
    for (const screen of ['/look-alikes', '/mirrors/people/recognising', '/']) {
      await page.goto(screen);
      await expect(page.getByRole('heading').first()).toBeVisible();
      await expect(page.getByText(/^Reading /)).toHaveCount(0);
      const found = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']).analyze();
      expect(found.violations.map((v) => `${screen}: ${v.id}: ${v.nodes.map((n) => n.html.slice(0, 120)).join(' | ')}`)).toEqual([]);
    }
  });
