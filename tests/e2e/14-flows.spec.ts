import { expect, test, type Page } from '@playwright/test';
import { allInCrm as all, crm, mail, OFFICE, Product, typed, upright } from './calls';
import { DEMO, signIn } from './world';

test.describe.configure({ mode: 'serial' });
let page: Page;
test.afterAll(() => page?.context().close());
let product: Product;

type Deal = { id: string; organisationId: string; orderNumber: string | null; lines: { productCode: string }[] };
type Invoice = { number: string; organisationId: string; netAmount: number; taxAmount: number; grossAmount: number; openAmount: number; paymentState: string; lines: Record<string, unknown>[] };

/** Runs a mirror to its good end. */
async function run(mirror: string) {
  const { state, reason, counts } = await product.run(mirror);
  expect(state, `${mirror}: ${reason}`).toBe('finished');
  return counts;
}

test.beforeAll(async ({ browser }) => {
  test.setTimeout(300_000);
  page = await (await browser.newContext({ baseURL: process.env.UPRIGHT_WEB, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
  product = new Product(page);
  await product.byHand('products', 'orders', 'invoices');
  for (const mirror of ['customers', 'products', 'orders', 'invoices']) await run(mirror);
});

test('what flows is quiet once it has flowed', async () => {
  test.setTimeout(180_000);
  for (const mirror of ['products', 'orders', 'invoices']) expect((await run(mirror)).written, mirror).toBe(0);
});

test('a won deal becomes one order, its invoice comes back with its lines, tax and total, and its payment follows', async () => {
  test.setTimeout(240_000);
  const like = (await all<Deal>('deals')).find((d) => d.orderNumber)!;
  const made = await crm<Deal>('/deals', {
    title: 'Tarn regatta boats',
    organisationId: like.organisationId,
    stage: 'Quoted',
    currency: 'EUR',
    expectedOn: '2026-12-24',
    lines: [
      { lineNo: 1, productCode: like.lines[0]!.productCode, quantity: 2, unitPrice: 100.5, discountPercent: 10 },
      { lineNo: 2, productCode: like.lines[0]!.productCode, quantity: 1, unitPrice: 20, discountPercent: 0 },
    ],
  });
  // Only quoted: it is no order yet.
  await run('orders');
  expect((await crm<Deal>(`/deals/${made.id}`)).orderNumber).toBeNull();

  await typed(`/slipway/deals/${made.id}`, { stage: 'Won', readyToOrder: 'true', user: 'Hanne Lunde' });
  await run('orders');
  await run('orders');
  const number = (await crm<Deal>(`/deals/${made.id}`)).orderNumber!;
  expect(number).toMatch(/^SO-\d+$/);
  const order = await (await fetch(`${DEMO}/ballast/odata/SalesOrders('${number}')?$expand=Lines`, { headers: OFFICE })).json();
  expect([order.TotalAmount, order.RequestedDeliveryDate, order.Lines.length]).toEqual([200.9, '2026-12-24', 2]);
  const twins = await (await fetch(`${DEMO}/ballast/odata/SalesOrders?$filter=RequestedDeliveryDate eq 2026-12-24`, { headers: OFFICE })).json();
  expect(twins.value.filter((o: { TotalAmount: number }) => o.TotalAmount === 200.9)).toHaveLength(1);

  const posted = /invoices\/(INV-\d+)/.exec(await typed(`/ballast/salesorders/${number}/invoice`, { user: 'Accounts desk' }))![1]!;
  await run('invoices');
  const invoice = async () => (await all<Invoice>('invoices')).filter((i) => i.number === posted);
  expect(await invoice()).toHaveLength(1);
  expect((await invoice())[0]).toMatchObject({ organisationId: like.organisationId, netAmount: 200.9, taxAmount: 42.19, grossAmount: 243.09, openAmount: 243.09, paymentState: 'Open' });
  expect((await invoice())[0]!.lines.map((l) => [l.lineNo, l.productCode, l.quantity, l.netAmount, l.taxPercent])).toEqual([
    [1, like.lines[0]!.productCode, 2, 180.9, 21],
    [2, like.lines[0]!.productCode, 1, 20, 21],
  ]);

  await typed(`/ballast/invoices/${posted}/payment`, { amount: '43.09' });
  await run('invoices');
  expect((await invoice())[0]).toMatchObject({ openAmount: 200, paymentState: 'Partly paid' });
  await typed(`/ballast/invoices/${posted}/payment`, { amount: '200' });
  await run('invoices');
  expect((await invoice())[0]).toMatchObject({ openAmount: 0, paymentState: 'Paid' });
});

test('a price changed in the office reaches the CRM and the mail system, whose own edit of it is put back', async () => {
  test.setTimeout(120_000);
  const item = (await all<{ id: string; code: string; listPrice: number }>('products'))[0]!;
  await typed(`/ballast/items/${item.code}`, { UnitPrice: '77.7' });
  await run('products');
  const price = async () => (await crm<{ listPrice: number }>(`/products/${item.id}`)).listPrice;
  expect(await price()).toBe(77.7);
  await typed(`/slipway/products/${item.id}`, { listPrice: '1' });
  await run('products');
  expect(await price()).toBe(77.7);
  const { highest_id } = await mail<{ highest_id: number }>('/products?from_id=1&to_id=1');
  const mailed = await mail<{ products: { sku: string; price: number }[] }>(`/products?from_id=1&to_id=${Math.min(300, highest_id)}`);
  expect(mailed.products.find((p) => p.sku === item.code)?.price).toBe(77.7);
});

test('all sides of all flows hold what is agreed, or it is said why not', async () => {
  test.setTimeout(180_000);
  const said = await upright('verify', 'products', 'orders', 'invoices');
  expect(said).not.toContain('UNEXPLAINED');
  expect(said).toMatch(/Invoices: \d[\d,]* records/);
});
