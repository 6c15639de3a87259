import { spawn } from 'node:child_process';
import { expect, test, type Page } from '@playwright/test';
import { allInCrm, allInErp, crm, fault, noFaults as over, Product, typed, upright as command } from './calls';
import { customers, DEMO, lookedAt, organisations, shared, signIn } from './world';

/** What holds whatever goes wrong: a rehearsal tells what its run writes, a process that is killed leaves nothing twice, and every difference has a reason. */
test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());
let product: Product;

type Deal = { id: string; title: string; organisationId: string; orderNumber: string | null; stage: string; lines: { productCode: string }[] };
type Write = { title: string; side: number; kind: string; recordId: string | null; fields: { field: string; now: string; after: string }[] };
type Planned = { sides: { name: string }[]; writes: Write[]; total: number };

const deals = () => allInCrm<Deal>('deals');

/** Orders of the ERP that are wanted on a day. */
const ordersOf = (day: string) => allInErp<{ OrderNo: string }>(`SalesOrders?$filter=RequestedDeliveryDate eq ${day}`);

/** Runs a mirror to its end, however that is. */
const through = (mirror: string) => product.run(mirror);

/** Runs or rehearses, as somebody who scripts against the product does; answers with the run's number. */
async function upright(what: 'run' | 'rehearse', mirror: string): Promise<number> {
  return Number(/(?:run|rehearsal) (\d+)/.exec(await command(what, mirror))![1]);
}

const state = (run: number) => product.state(run);
const writesOf = async (run: number): Promise<Planned> => (await page.request.get(`/api/runs/${run}/planned?count=10000`)).json();
const line = (p: Planned, w: Write) => `${p.sides[w.side]!.name} ${w.kind} ${w.title} ${w.recordId ?? ''}: ${w.fields.map((f) => `${f.field}: ${f.now} → ${f.after}`).join('; ')}`;

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
  product = new Product(page);
  for (const mirror of ['customers', 'people', 'products', 'orders', 'invoices']) {
    await product.byHand(mirror);
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
  const items = await allInErp<{ ItemNo: string }>('Items');
  for (const [n, item] of items.slice(0, 4).entries()) await typed(`/ballast/items/${item.ItemNo}`, { UnitPrice: `${500 + n}.5` });
  await newDeals(3, '2027-01-11', 'Rehearsed');
  const invoiced = (await ordersOf('2026-12-24'))[0]?.OrderNo;
  const people: { id: number; stage: string; email: string }[] = (await (await fetch(`${DEMO}/pennant/api/people?from_id=1&to_id=300`, { headers: { 'X-Pennant-Key': 'pennant-7731-demo' } })).json()).people;
  for (const person of people.filter((p) => p.stage !== 'ambassador').slice(0, 5)) await typed(`/pennant/people/${String(person.id).padStart(12, '0')}`, { stage: 'ambassador' }).catch(() => undefined);
  expect(all.length).toBeGreaterThan(0);

  let compared = 0;
  for (const mirror of ['customers', 'people', 'products', 'orders', 'invoices']) {
    if (mirror === 'invoices' && invoiced) await fetch(`${DEMO}/ballast/salesorders/${invoiced}/invoice`, { method: 'POST', body: new URLSearchParams({ user: 'Accounts desk' }), redirect: 'manual' });
    if (mirror === 'people') await lookedAt(page);
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
  const items = await allInErp<{ ItemNo: string }>('Items');
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
    for (const hold of refused) await page.request.post(`/api/held/${hold.id}/release`, { headers: await product.headers() });
    for (const mirror of refused.length > 0 ? ['customers', 'products'] : []) await through(mirror);
    const said = await command('verify', 'customers', 'products');
    expect(said, name).not.toContain('UNEXPLAINED');
    expect(said.match(/0 unexplained/g), `${name}\n${said}`).toHaveLength(2);
    expect((await customers()).find((c) => c.CustomerNo === one.ballast)!.Street, name).toBe(`${n} Fault Lane`);
  }
  expect(await command('verify')).not.toContain('UNEXPLAINED');
});
