import { expect, test, type Page } from '@playwright/test';
import { DEMO, signIn } from './world';

test.describe.configure({ mode: 'serial' });
let page: Page;
let token: string;

type Line = { LineNo: number; ItemNo: string; Quantity: number; UnitPrice: number; DiscountPercent: number };
type Order = { OrderNo: string; CustomerNo: string; TotalAmount: number; YourReference: string | null; Lines: Line[]; '@odata.etag': string };
type Deal = { id: string; organisationId: string; amount: number; orderNumber: string | null; lines: Record<string, unknown>[]; title: string };

const ballast = { authorization: `Basic ${btoa('UPRIGHT-SVC:ballast-demo-20931')}`, 'content-type': 'application/json' };
const order = async (no: string): Promise<Order> => (await fetch(`${DEMO}/ballast/odata/SalesOrders('${no}')?$expand=Lines`, { headers: ballast })).json();

/** A call of the CRM's own API, as one of its users would make it. */
async function slipway<T>(path: string, init: { method?: string; body?: unknown } = {}): Promise<T> {
  const form = new URLSearchParams({ grant_type: 'client_credentials', client_id: 'upright-mirror', client_secret: 'slip-4417-demo' });
  const { access_token } = await (await fetch(`${DEMO}/slipway/oauth/token`, { method: 'POST', body: form })).json();
  const authorization = `Bearer ${access_token}`;
  const etag = init.method === 'PATCH' ? (await fetch(`${DEMO}/slipway/api${path}`, { headers: { authorization } })).headers.get('etag')! : null;
  const answer = await fetch(`${DEMO}/slipway/api${path}`, {
    method: init.method ?? 'GET',
    headers: {
      authorization,
      ...(etag ? { 'if-match': etag } : {}),
      'content-type': init.method === 'PATCH' ? 'application/merge-patch+json' : 'application/json',
    },
    body: init.body ? JSON.stringify(init.body) : undefined,
  });
  expect(answer.ok, `${path}: ${answer.status}`).toBe(true);
  return answer.json();
}

async function deals(): Promise<Deal[]> {
  const all: Deal[] = [];
  for (let cursor: string | null = ''; cursor !== null;) {
    const got: { items: Deal[]; nextCursor?: string } = await slipway(`/deals${cursor ? `?cursor=${encodeURIComponent(cursor)}` : ''}`);
    all.push(...got.items);
    cursor = got.nextCursor ?? null;
  }
  return all;
}

const cell = (path: string, conversion: object = { kind: 'asItStands' }, some: object = {}) => ({
  path,
  gives: true,
  takes: true,
  drift: 'putBack',
  conversion,
  ...some,
});
const field = (name: string, type: string, left: object | null, right: object | null, some: object = {}) => ({
  name,
  type,
  rule: 'latest',
  rank: [],
  states: [],
  firstMeeting: 'rank',
  group: null,
  emptyTravels: true,
  cells: [left, right],
  ...some,
});

/** An order between the CRM's deals and the ERP's orders: lines numbered by tens of thousands there, customers by other ids. */
const FIELDS = [
  field('Order number', 'text', cell('orderNumber', undefined, { gives: true }), cell('OrderNo', undefined, { takes: false })),
  field(
    'Customer',
    'reference',
    cell('organisationId', { kind: 'reference', mirror: 'customers' }),
    cell('CustomerNo', { kind: 'reference', mirror: 'customers' }),
  ),
  field('Title', 'text', cell('title'), cell('YourReference')),
  field('Total', 'number', cell('amount', undefined, { takes: false }), cell('TotalAmount', undefined, { takes: false })),
  field('Lines', 'lines', cell('lines'), cell('Lines'), {
    lines: {
      key: 'Line',
      fields: [
        field('Line', 'number', cell('lineNo'), cell('LineNo', { kind: 'formula', toAgreed: 'value / 10000', toSide: 'value * 10000' })),
        field('Product', 'text', cell('productCode'), cell('ItemNo')),
        field('Quantity', 'number', cell('quantity'), cell('Quantity')),
        field('Price', 'number', cell('unitPrice'), cell('UnitPrice')),
        field('Discount', 'number', cell('discountPercent'), cell('DiscountPercent')),
      ],
      total: { field: 'Total', amount: 'ROUND(Quantity * Price * (100 - Discount) / 100; 2)', tolerance: 0.05 },
    },
  }),
];

async function call(method: 'post' | 'put', path: string, data?: unknown) {
  const answer = await page.request[method](`/api${path}`, { data, headers: { 'X-Upright-Token': token } });
  expect(answer.ok(), `${path}: ${await answer.text()}`).toBe(true);
  return answer.status() === 204 ? null : answer.json();
}

async function run(mirror: string) {
  // One that an event asked for may be going on: it is waited for.
  await expect
    .poll(async () => (await (await page.request.get('/api/runs')).json()).filter((r: { mirror: string; state: string }) => r.mirror === mirror && r.state === 'running').length, { timeout: 60_000 })
    .toBe(0);
  const { run: id } = await call('post', `/mirrors/${mirror}/runs`);
  await expect(async () => expect((await (await page.request.get(`/api/runs/${id}`)).json()).run.state).not.toBe('running')).toPass({ timeout: 120_000 });
  return (await (await page.request.get(`/api/runs/${id}`)).json()).run;
}

let pair: { deal: Deal; order: Order };

test.beforeAll(async ({ browser }) => {
  test.setTimeout(240_000);
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
  token = (await (await page.request.get('/api/session')).json()).token;
  for (const system of ['slipway', 'ballast']) {
    await page.goto(`/systems/${system}`);
    const again = page.getByRole('button', { name: /Read the catalogue/ });
    await again.click();
    await expect(again).toBeEnabled({ timeout: 120_000 });
  }
  await run('customers');
  // The demo's own mirror of the same collections rests meanwhile.
  await call('put', '/mirrors/orders/state', { state: 'paused' });
  await call('post', '/mirrors', {
    name: 'Sales orders',
    recordType: 'order',
    sides: [
      { system: 'slipway', collection: 'deals', mayCreate: false },
      { system: 'ballast', collection: 'SalesOrders', mayCreate: true },
    ],
  });
  const { settings } = await (await page.request.get('/api/mirrors/sales-orders/draft')).json();
  settings.recognising = ['Order number'];
  settings.titleField = 'Title';
  settings.sides[1].constants = [
    { path: 'StatusCode', text: 'OPEN' },
    { path: 'CurrencyCode', text: 'EUR' },
    { path: 'OrderDate', text: '2026-03-02' },
  ];
  await call('put', '/mirrors/sales-orders/draft', { step: 0, what: 'Map the orders', fields: FIELDS, settings });
});

test('the draft of an order with lines has nothing wrong, and its lines and references are shown', async () => {
  const draft = await (await page.request.get('/api/mirrors/sales-orders/draft')).json();
  expect(draft.findings.filter((f: { isWrong: boolean }) => f.isWrong)).toEqual([]);
  await page.goto('/mirrors/sales-orders/fields');
  const table = page.getByRole('table', { name: 'Fields of the draft' });
  await expect(table.getByText(/^\d+ lines?: /).first()).toBeVisible({ timeout: 60_000 });
  await expect(table.getByRole('button', { name: 'Quantity number' })).toBeVisible();
  if (process.env.UPRIGHT_PICTURES) await page.screenshot({ path: `${process.env.UPRIGHT_PICTURES}/orders.png` });
});

test('orders that both sides have are linked by their number, and their lines say the same', async () => {
  test.setTimeout(240_000);
  await call('post', '/mirrors/sales-orders/draft/publish', { comment: '' });
  const first = await run('sales-orders');
  expect(first.state).toBe('finished');
  const list = await (await page.request.get('/api/records?mirror=sales-orders&count=200')).json();
  expect(list.rows.filter((r: { ids: (string | null)[] }) => r.ids[0] && r.ids[1]).length).toBeGreaterThan(50);
  const second = await run('sales-orders');
  expect(second.counts.written).toBe(0);
});

test('a line changed in the CRM reaches the ERP in the ERP’s own form, and one changed there comes back', async () => {
  test.setTimeout(240_000);
  const numbered = (await deals()).filter((d) => d.orderNumber && d.lines.length > 1);
  const deal = numbered[0]!;
  pair = { deal, order: await order(deal.orderNumber!) };
  const lines = deal.lines.map((l, i) => (i === 0 ? { ...l, quantity: Number(l.quantity) + 3 } : l));
  await slipway(`/deals/${deal.id}`, { method: 'PATCH', body: { lines } });
  expect((await run('sales-orders')).counts.written).toBeGreaterThan(0);
  const there = await order(deal.orderNumber!);
  expect(there.Lines.map((l) => [l.LineNo, l.ItemNo, l.Quantity, l.UnitPrice, l.DiscountPercent])).toEqual(
    lines.map((l) => [Number(l.lineNo) * 10000, l.productCode, l.quantity, l.unitPrice, l.discountPercent]),
  );

  const fewer = there.Lines.slice(1).map((l) => ({
    LineNo: l.LineNo,
    ItemNo: l.ItemNo,
    Quantity: l.Quantity + 1,
    UnitPrice: l.UnitPrice,
    DiscountPercent: l.DiscountPercent,
  }));
  const patched = await fetch(`${DEMO}/ballast/odata/SalesOrders('${deal.orderNumber}')`, {
    method: 'PATCH',
    headers: { ...ballast, 'if-match': there['@odata.etag'] },
    body: JSON.stringify({ Lines: fewer }),
  });
  expect(patched.ok).toBe(true);
  await run('sales-orders');
  const back = await slipway<Deal>(`/deals/${deal.id}`);
  expect(back.lines.map((l) => [l.lineNo, l.productCode, l.quantity])).toEqual(fewer.map((l) => [l.LineNo / 10000, l.ItemNo, l.Quantity]));
  expect((await run('sales-orders')).counts.written).toBe(0);
});

test('a new deal becomes an order at its customer’s own number, once, and the order’s number comes back', async () => {
  test.setTimeout(240_000);
  const made = await slipway<Deal>('/deals', {
    method: 'POST',
    body: {
      title: 'Lantern regatta boats',
      organisationId: pair.deal.organisationId,
      stage: 'Won',
      readyToOrder: true,
      currency: 'EUR',
      lines: [
        { lineNo: 1, productCode: pair.deal.lines[1]!.productCode, quantity: 2, unitPrice: 100.5, discountPercent: 10 },
        { lineNo: 2, productCode: pair.deal.lines[1]!.productCode, quantity: 1, unitPrice: 20, discountPercent: 0 },
      ],
    },
  });
  await run('sales-orders');
  await run('sales-orders');
  const { holds: held } = (await (await page.request.get('/api/held')).json()) as { holds: { title: string; reason: string; answer: string | null }[] };
  expect(held.filter((h) => h.title === made.title).map((h) => [h.reason, h.answer])).toEqual([]);
  const numbered = await slipway<Deal>(`/deals/${made.id}`);
  expect(numbered.orderNumber).toMatch(/^SO-\d+$/);
  const there = await order(numbered.orderNumber!);
  expect(there.CustomerNo).toBe(pair.order.CustomerNo);
  expect(there.YourReference).toBe('Lantern regatta boats');
  expect(there.Lines.map((l) => l.LineNo)).toEqual([10000, 20000]);
  expect(there.TotalAmount).toBe(200.9);
  const all = await (
    await fetch(`${DEMO}/ballast/odata/SalesOrders?$filter=${encodeURIComponent("YourReference eq 'Lantern regatta boats'")}`, { headers: ballast })
  ).json();
  expect(all.value).toHaveLength(1);
});

test('each line is a record of its own in a mirror of lines: one is changed, and its neighbours stay', async () => {
  test.setTimeout(300_000);
  await call('put', '/mirrors/sales-orders/state', { state: 'paused' });
  await call('post', '/mirrors', {
    name: 'Order lines',
    recordType: 'line',
    sides: [
      { system: 'slipway', collection: 'deals[lines]', mayCreate: false },
      { system: 'ballast', collection: 'SalesOrders[Lines]', mayCreate: false },
    ],
  });
  const { settings } = await (await page.request.get('/api/mirrors/order-lines/draft')).json();
  Object.assign(settings, { recognising: ['Line of order'], titleField: 'Line of order' });
  const told = (formula: string) => ({ kind: 'formula', toAgreed: formula });
  await call('put', '/mirrors/order-lines/draft', {
    step: 0,
    what: 'Map the lines',
    fields: [
      field(
        'Line of order',
        'text',
        cell('lineNo', told('IF([parent.orderNumber]=""; ""; [parent.orderNumber] & "/" & value)'), { takes: false }),
        cell('LineNo', told('[parent.OrderNo] & "/" & value / 10000'), { takes: false }),
      ),
      field('Product', 'text', cell('productCode'), cell('ItemNo')),
      field('Quantity', 'number', cell('quantity'), cell('Quantity')),
    ],
    settings,
  });
  const { findings } = await (await page.request.get('/api/mirrors/order-lines/draft')).json();
  expect(findings.filter((f: { isWrong: boolean }) => f.isWrong)).toEqual([]);
  await call('post', '/mirrors/order-lines/draft/publish', { comment: '' });
  expect((await run('order-lines')).state).toBe('finished');
  expect((await run('order-lines')).counts.written).toBe(0);

  const deal = (await deals()).filter((d) => d.orderNumber && d.lines.length > 2)[1]!;
  const before = await order(deal.orderNumber!);
  const lines = deal.lines.map((l, i) => (i === 1 ? { ...l, quantity: Number(l.quantity) + 6 } : l));
  await slipway(`/deals/${deal.id}`, { method: 'PATCH', body: { lines } });
  expect((await run('order-lines')).counts.written).toBe(1);
  const after = await order(deal.orderNumber!);
  expect(after.Lines.map((l) => l.Quantity)).toEqual(before.Lines.map((l, i) => (i === 1 ? Number(lines[1]!.quantity) : l.Quantity)));
  expect(after.Lines.map((l) => [l.LineNo, l.UnitPrice, l.DiscountPercent])).toEqual(before.Lines.map((l) => [l.LineNo, l.UnitPrice, l.DiscountPercent]));
  expect((await run('order-lines')).counts.written).toBe(0);
});

test.afterAll(async () => {
  // Other tests count the runs that an event leads to: these mirrors rest from here on.
  for (const mirror of ['sales-orders', 'order-lines']) await call('put', `/mirrors/${mirror}/state`, { state: 'paused' });
  await page.context().close();
});
