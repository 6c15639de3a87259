import { spawn } from 'node:child_process';
import { appendFileSync, openSync, readFileSync, writeFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { customers, DEMO, doubted, keyOf, organisations, runNow, signIn } from './world';

test('killed in the middle of a run, started again and run: nothing twice, nothing lost', async ({ page }) => {
  test.setTimeout(240_000);
  await signIn(page);
  const before = await organisations();
  for (const [n, organisation] of before.entries())
    await fetch(`${DEMO}/slipway/organisations/${organisation.id}`, {
      method: 'POST',
      body: new URLSearchParams({ website: `https://www.${n}.example`, 'address.street': `${n} Killed Lane`, user: 'Hanne Lunde' }),
      redirect: 'manual',
    });
  // New ones too: a creation is what could happen twice.
  const authorization = await token();
  for (let n = 0; n < 25; n++)
    await fetch(`${DEMO}/slipway/api/organisations`, {
      method: 'POST',
      headers: { authorization, 'content-type': 'application/json' },
      body: JSON.stringify({ name: `Killed Weir ${n}`, email: `weir${n}@killed.example`, address: { country: 'Ireland' } }),
    });

  // Each of the ERP's answers comes a little later: there is a middle to be killed in.
  await fetch(`${DEMO}/faults/api/ballast`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ slowMilliseconds: 400 }) });
  await page.goto('/mirrors/customers');
  await page.getByRole('button', { name: 'Run now' }).click();
  await expect(page).toHaveURL(/\/runs\/\d+/);
  const id = Number(page.url().split('/').pop());
  const killedAt = await expect
    .poll(async () => (await (await page.request.get(`/api/runs/${id}`)).json()).run.counts.written, { intervals: [40] })
    .toBeGreaterThan(5)
    .then(async () => {
      process.kill(Number(readFileSync(process.env.UPRIGHT_WEB_PID!, 'utf8')), 'SIGKILL');
      return 'killed';
    });
  expect(killedAt).toBe('killed');
  await fetch(`${DEMO}/faults/api/ballast`, { method: 'DELETE' });
  const written = (await customers()).filter((c) => c.Street?.includes('Killed Lane')).length;

  // Who was signed in still is: sessions outlive the process.
  await startAgain();
  expect(written).toBeLessThan(before.length);
  await runNow(page);
  await page.goto(`/runs/${id}`);
  await expect(page.getByRole('main').getByText('The process that ran it ended in the middle.')).toBeVisible();
  await runNow(page);
  await expect(page.getByText('Nothing to write.')).toBeVisible();

  const doubles = await doubted(page);
  const inSlipway = (await organisations()).filter((o) => !doubles.has(o.id));
  const inBallast = await customers();
  expect(inBallast.map((c) => keyOf(c.EMail, c.CustomerName)).sort()).toEqual(inSlipway.map((o) => keyOf(o.email, o.name)).sort());
  expect(new Set(inBallast.map((c) => keyOf(c.EMail, c.CustomerName))).size).toBe(inBallast.length);
  const streets = new Map(inBallast.map((c) => [keyOf(c.EMail, c.CustomerName), c.Street]));
  for (const o of inSlipway) expect(streets.get(keyOf(o.email, o.name)) ?? null).toBe(o.address.street);
});

async function token() {
  const form = new URLSearchParams({ grant_type: 'client_credentials', client_id: 'upright-mirror', client_secret: 'slip-4417-demo' });
  return `Bearer ${(await (await fetch(`${DEMO}/slipway/oauth/token`, { method: 'POST', body: form })).json()).access_token}`;
}

/** Starts the product again, as ./test started it. */
async function startAgain() {
  const log = openSync(process.env.UPRIGHT_WEB_LOG!, 'a');
  appendFileSync(process.env.UPRIGHT_WEB_LOG!, '\n— started again —\n');
  const [command, ...rest] = JSON.parse(process.env.UPRIGHT_WEB_COMMAND!) as string[];
  const child = spawn(command!, rest, { cwd: process.env.UPRIGHT_WEB_FOLDER, detached: true, stdio: ['ignore', log, log] });
  writeFileSync(process.env.UPRIGHT_WEB_PID!, String(child.pid));
  child.unref();
  await expect
    .poll(() => fetch(`${process.env.UPRIGHT_WEB}/health`).then((r) => r.ok).catch(() => false), { timeout: 40_000 })
    .toBe(true);
}
