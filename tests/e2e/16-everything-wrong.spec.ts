import { execFile, spawn } from 'node:child_process';
import { promisify } from 'node:util';
import { expect, test, type Page } from '@playwright/test';
import { customers, DEMO, organisations, shared, signIn } from './world';

/** What holds whatever goes wrong: a rehearsal tells what its run writes, a process that is killed leaves nothing twice, and every difference has a reason. */
test.describe.configure({ mode: 'serial' });
let page: Page;
let token: string;
const headers = () => ({ 'X-Upright-Token': token });

const office = { authorization: `Basic ${btoa('UPRIGHT-SVC:ballast-demo-20931')}` };
type Deal = { id: string; title: string; organisationId: string; orderNumber: string | null; stage: string; lines: { productCode: string }[] };
type Write = { title: string; side: number; kind: string; recordId: string | null; fields: { field: string; now: string; after: string }[] };
type Planned = { sides: { name: string }[]; writes: Write[]; total: number };

async function crm<T>(path: string, body?: unknown): Promise<T> {
  const form = new URLSearchParams({ grant_type: 'client_credentials', client_id: 'upright-mirror', client_secret: 'slip-4417-demo' });
  for (;;) {
    const granted = await fetch(`${DEMO}/slipway/oauth/token`, { method: 'POST', body: form });
    const answer = await fetch(`${DEMO}/slipway/api${path}`, {
      method: body ? 'POST' : 'GET',
      headers: { authorization: `Bearer ${(await granted.json()).access_token}`, 'content-type': 'application/json' },
      body: body ? JSON.stringify(body) : undefined,
    });
    if (answer.status !== 429) return answer.json();
    await new Promise((on) => setTimeout(on, 1100));
  }
}

async function deals(): Promise<Deal[]> {
  const found: Deal[] = [];
  for (let cursor: string | null = ''; cursor !== null; ) {
    const got: { items: Deal[]; nextCursor?: string } = await crm(`/deals${cursor ? `?cursor=${encodeURIComponent(cursor)}` : ''}`);
    found.push(...got.items);
    cursor = got.nextCursor ?? null;
  }
  return found;
}

/** Orders of the ERP that are wanted on a day. */
async function ordersOf(day: string): Promise<{ OrderNo: string }[]> {
  const found: { OrderNo: string }[] = [];
  for (let next: string | undefined = `${DEMO}/ballast/odata/SalesOrders?$filter=RequestedDeliveryDate eq ${day}`; next; ) {
    const got: { value: { OrderNo: string }[]; '@odata.nextLink'?: string } = await (await fetch(next, { headers: office })).json();
    found.push(...got.value);
    next = got['@odata.nextLink'];
  }
  return found;
}

const typed = async (path: string, fields: Record<string, string>) => {
  const answer = await fetch(`${DEMO}${path}`, { method: 'POST', body: new URLSearchParams({ user: 'Hanne Lunde', ...fields }), redirect: 'manual' });
  expect([302, 303], path).toContain(answer.status);
};

/** Runs a mirror to its end, however that is. */
async function through(mirror: string) {
  let run = 0;
  await expect
    .poll(async () => {
      const answer = await page.request.post(`/api/mirrors/${mirror}/runs`, { headers: headers() });
      if (answer.ok()) run = (await answer.json()).run;
      return answer.ok();
    }, { timeout: 60_000 })
    .toBe(true);
  await expect.poll(async () => (await state(run)).state, { timeout: 120_000, intervals: [50] }).not.toBe('running');
}

/** Runs or rehearses, as somebody who scripts against the product does; answers with the run's number. */
async function upright(what: 'run' | 'rehearse', mirror: string): Promise<number> {
  const said = await promisify(execFile)('dotnet', [process.env.UPRIGHT_CLI!, what, mirror]).catch((e: { stdout: string }) => e);
  return Number(/(?:run|rehearsal) (\d+)/.exec(said.stdout)![1]);
}

const state = async (run: number) => (await (await page.request.get(`/api/runs/${run}`)).json()).run as { state: string; reason: string | null; counts: { written: number; planned: number } };
const writesOf = async (run: number): Promise<Planned> => (await page.request.get(`/api/runs/${run}/planned?count=10000`)).json();
const line = (p: Planned, w: Write) => `${p.sides[w.side]!.name} ${w.kind} ${w.title} ${w.recordId ?? ''}: ${w.fields.map((f) => `${f.field}: ${f.now} → ${f.after}`).join('; ')}`;

const fault = (system: string, what: object) => fetch(`${DEMO}/faults/api/${system}`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify(what) });
const over = async () => {
  for (const system of ['slipway', 'ballast', 'pennant']) await fetch(`${DEMO}/faults/api/${system}`, { method: 'DELETE' });
};

async function newDeals(count: number, day: string, stem: string) {
  const like = (await deals()).find((d) => d.orderNumber)!;
  for (let n = 0; n < count; n += 200)
    await crm('/deals/bulk', {
      items: Array.from({ length: Math.min(200, count - n) }, (_, i) => ({
        externalReference: `${stem}-${n + i}`,
        title: `${stem} ${n + i}`,
        organisationId: like.organisationId,
        stage: 'Won',
        readyToOrder: true,
        currency: 'EUR',
        expectedOn: day,
        lines: [{ lineNo: 1, productCode: like.lines[0]!.productCode, quantity: 1, unitPrice: 10, discountPercent: 0 }],
      })),
    });
}

test.beforeAll(async ({ browser }) => {
  test.setTimeout(300_000);
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
  token = (await (await page.request.get('/api/session')).json()).token;
  for (const mirror of ['customers', 'people', 'products', 'orders', 'invoices']) {
    await page.request.put(`/api/mirrors/${mirror}/timing`, { data: { state: 'live', everyMinutes: null }, headers: headers() });
    await page.request.put(`/api/mirrors/${mirror}/guards`, { data: { creations: null, changes: null, removals: null, emptiedFields: null }, headers: headers() });
    const run = await upright('run', mirror);
    expect((await state(run)).state, `${mirror}: ${(await state(run)).reason}`).toBe('finished');
  }
});

test.afterEach(over);

test('a rehearsal of each flow tells what the run after it writes, record by record', async () => {
  test.setTimeout(300_000);
  const all = await organisations();
  for (let n = 0; n < 6; n++) await typed(`/slipway/organisations/${(await shared(page, 60 + n)).slipway}`, { website: `https://rehearsed-${n}.example`, 'address.street': `${n} Rehearsal Row` });
  await crm('/organisations', { name: 'Rehearsed Rapids', email: 'office@rehearsed.example', address: { country: 'Ireland' } });
  const items: { ItemNo: string }[] = (await (await fetch(`${DEMO}/ballast/odata/Items`, { headers: office })).json()).value;
  for (const [n, item] of items.slice(0, 4).entries()) await typed(`/ballast/items/${item.ItemNo}`, { UnitPrice: `${500 + n}.5` });
  await newDeals(3, '2027-01-11', 'Rehearsed');
  const invoiced = (await ordersOf('2026-12-24'))[0]?.OrderNo;
  const people: { id: number; stage: string; email: string }[] = (await (await fetch(`${DEMO}/pennant/api/people?from_id=1&to_id=300`, { headers: { 'X-Pennant-Key': 'pennant-7731-demo' } })).json()).people;
  for (const person of people.filter((p) => p.stage !== 'ambassador').slice(0, 5)) await typed(`/pennant/people/${String(person.id).padStart(12, '0')}`, { stage: 'ambassador' }).catch(() => undefined);
  expect(all.length).toBeGreaterThan(0);

  let compared = 0;
  for (const mirror of ['customers', 'people', 'products', 'orders', 'invoices']) {
    if (mirror === 'invoices' && invoiced) await fetch(`${DEMO}/ballast/salesorders/${invoiced}/invoice`, { method: 'POST', body: new URLSearchParams({ user: 'Accounts desk' }), redirect: 'manual' });
    const rehearsal = await upright('rehearse', mirror);
    expect((await state(rehearsal)).counts.written).toBe(0);
    const run = await upright('run', mirror);
    expect((await state(run)).state).toBe('finished');
    const [told, made] = [await writesOf(rehearsal), await writesOf(run)];
    // What a system gives by itself, as the number of a new order, nobody knows before.
    const given = (w: Write) => mirror === 'orders' && w.kind === 'change' && w.fields.every((f) => f.field === 'Order number');
    expect(made.writes.filter((w) => !given(w)).map((w) => line(made, w)).sort(), mirror).toEqual(told.writes.map((w) => line(told, w)).sort());
    compared += told.total;
    if (mirror === 'customers') {
      await page.goto(`/runs/${rehearsal}`);
      await expect(page.getByRole('listitem').filter({ hasText: 'Rehearsed Rapids' })).toBeVisible();
      if (process.env.UPRIGHT_PICTURES) await page.screenshot({ path: `${process.env.UPRIGHT_PICTURES}/rehearsal.png` });
    }
  }
  expect(compared).toBeGreaterThan(15);
});

test('killed twenty times in a first load of orders: each order is in the ERP exactly once', async () => {
  test.setTimeout(480_000);
  const day = '2027-02-03';
  const count = 900;
  await newDeals(count, day, 'Killed order');
  await fault('ballast', { slowMilliseconds: 40 });
  const [before, kills] = [(await ordersOf(day)).length, 20];
  expect(before).toBe(0);
  let written = 0;
  for (let killed = 0; killed < kills; killed++) {
    const last = ((await (await page.request.get('/api/runs?mirror=orders')).json()) as { id: number }[])[0]!.id;
    const process_ = spawn('dotnet', [process.env.UPRIGHT_CLI!, 'run', 'orders'], { stdio: 'ignore' });
    const ended = new Promise<number | null>((on) => process_.on('exit', (code) => on(code)));
    await expect
      .poll(
        async () => {
          const newest = ((await (await page.request.get('/api/runs?mirror=orders')).json()) as { id: number; stage: string | null }[])[0]!;
          return newest.id > last && newest.stage;
        },
        { intervals: [15], timeout: 40_000 },
      )
      .toBe('delivering');
    await new Promise((on) => setTimeout(on, (killed % 7) * 15));
    process_.kill('SIGKILL');
    expect(await ended, 'it was killed before it ended').toBeNull();
    const now = (await ordersOf(day)).length;
    expect(now).toBeGreaterThan(written);
    expect(now, 'there is work left').toBeLessThan(count);
    written = now;
  }

  await over();
  expect((await state(await upright('run', 'orders'))).state).toBe('finished');
  expect((await state(await upright('run', 'orders'))).counts.written).toBe(0);
  const orders = await ordersOf(day);
  expect(orders.length).toBe(count);
  const numbers = (await deals()).filter((d) => d.title.startsWith('Killed order')).map((d) => d.orderNumber);
  expect(numbers.filter(Boolean).length).toBe(count);
  expect([...numbers].sort()).toEqual(orders.map((o) => o.OrderNo).sort());
});

const WRONG: [string, object][] = [
  ['slow', { slowMilliseconds: 60 }],
  ['down', { down: true }],
  ['a web page instead of answers', { answersHtml: true }],
  ['connections that break before each write', { dropBefore: true }],
  ['connections that break after each write', { dropAfter: true }],
  ['every second write refused', { refuseEvery: 2 }],
  ['every fourth call an error of its own', { errorEvery: 4 }],
  ['another secret', { wrongSecret: true }],
  ['no right to read', { forbidden: true }],
  ['a clock ten minutes fast', { clockSeconds: 600 }],
  ['a clock ten minutes slow', { clockSeconds: -600 }],
  ['tokens that ended', { tokensEndedAt: '2100-01-01T00:00:00Z' }],
  ['a field that is gone', { fields: [{ kind: 'remove', collection: 'organisations', field: 'website', type: null }] }],
  ['events twice', { eventsTwice: true }],
  ['events late', { eventsLateSeconds: 2 }],
  ['no events', { eventsNever: true }],
];

test('with every fault switched on in turn, all sides hold what is agreed afterwards, or it is said why not', async () => {
  test.setTimeout(600_000);
  const items: { ItemNo: string }[] = (await (await fetch(`${DEMO}/ballast/odata/Items`, { headers: office })).json()).value;
  for (const [n, [name, what]] of WRONG.entries()) {
    const one = await shared(page, 10 + n);
    await typed(`/slipway/organisations/${one.slipway}`, { 'address.street': `${n} Fault Lane` });
    await typed(`/ballast/items/${items[n % items.length]!.ItemNo}`, { UnitPrice: `${900 + n}` });
    for (const system of ['slipway', 'ballast', 'pennant']) await fault(system, what);
    for (const mirror of ['customers', 'products']) await through(mirror);
    await over();
    for (const mirror of ['customers', 'products']) await through(mirror);
    // What was refused is looked at again, as a person would.
    const { holds } = (await (await page.request.get('/api/held')).json()) as { holds: { id: number; answer: string | null }[] };
    const refused = holds.filter((h) => h.answer);
    for (const hold of refused) await page.request.post(`/api/held/${hold.id}/release`, { headers: headers() });
    for (const mirror of refused.length > 0 ? ['customers', 'products'] : []) await through(mirror);
    const { stdout } = await promisify(execFile)('dotnet', [process.env.UPRIGHT_CLI!, 'verify', 'customers', 'products']).catch((e: { stdout: string }) => e);
    expect(stdout, name).not.toContain('UNEXPLAINED');
    expect(stdout.match(/0 unexplained/g), `${name}\n${stdout}`).toHaveLength(2);
    expect((await customers()).find((c) => c.CustomerNo === one.ballast)!.Street, name).toBe(`${n} Fault Lane`);
  }
  const { stdout } = await promisify(execFile)('dotnet', [process.env.UPRIGHT_CLI!, 'verify']);
  expect(stdout).not.toContain('UNEXPLAINED');
});
