import { expect, test } from '@playwright/test';
import { forEveryone, shared, signIn } from './world';

const SCREENS = ['/', '/records', '/mirrors', '/mirrors/customers', '/mirrors/customers/timing', '/mirrors/customers/rehearse', '/mirrors/customers/publish', '/mirrors/customers/look-up', '/mirrors/new', '/systems', '/systems/new', '/systems/slipway', '/systems/slipway/changes', '/systems/slipway/calls', '/systems/slipway/events', '/systems/slipway/connection', '/runs', '/conflicts', '/look-alikes', '/held', '/settings/people', '/settings/notices', '/settings/mail', '/settings/keeping', '/settings/changes', '/password'];

for (const theme of ['light', 'dark'] as const)
  test(`every screen can be used by everyone, in the ${theme} theme`, async ({ page }) => {
    await page.emulateMedia({ colorScheme: theme });
    await signIn(page);
    const screens = [...SCREENS, `/records/${(await shared(page, 3)).link}`, '/runs/1', '/runs/1?show=log'];
    for (const screen of screens) {
      await page.goto(screen);
      await page.waitForLoadState('load');
      await expect(page.getByText(/^Reading /)).toHaveCount(0);
      await forEveryone(page, `${screen}: `);
    }
  });

test('nothing is loaded from elsewhere, and the page says nothing is wrong', async ({ page }) => {
  const elsewhere: string[] = [];
  const wrong: string[] = [];
  page.on('request', (r) => new URL(r.url()).origin !== new URL(process.env.UPRIGHT_WEB!).origin && !r.url().startsWith('data:') && elsewhere.push(r.url()));
  page.on('console', (m) => m.type() === 'error' && !m.text().includes('401') && wrong.push(m.text().slice(0, 200)));
  await signIn(page);
  for (const screen of SCREENS) await page.goto(screen);
  expect(elsewhere).toEqual([]);
  expect(wrong).toEqual([]);
});

test('the slash finds a record by a telephone number as it is dialled', async ({ page }) => {
  await signIn(page);
  const list = await (await page.request.get('/api/records?count=200')).json();
  await page.goto(`/records/${list.rows[0].link}`);
  await page.keyboard.press('/');
  await page.keyboard.type(list.rows[0].ids[1]);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('row', { name: new RegExp(list.rows[0].title.replace(/[.&]/g, '.')) })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.locator('h1').click();
  await page.keyboard.press('?');
  await expect(page.getByRole('heading', { name: 'Keys of this page' })).toBeVisible();
});
