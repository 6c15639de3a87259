// How the mapping bench holds up with 500 fields on 4 sides: frames dropped while it scrolls, and how soon a key is answered.
// The pages are those that were built; the answers of the server are made here, so that only the browser's work is measured.
import { readFileSync } from 'node:fs';
import { extname, join } from 'node:path';
import { chromium } from '../../web/node_modules/@playwright/test/index.mjs';

const [pages] = process.argv.slice(2);
const FIELDS = 500;
const SIDES = 4;
const KEY_LIMIT = 100;
const TYPES = { '.html': 'text/html', '.js': 'text/javascript', '.css': 'text/css', '.woff2': 'font/woff2' };

const sides = Array.from({ length: SIDES }, (_, index) => ({ index, system: `s${index}`, name: `System ${index + 1}`, monogram: `S${index}`, colour: '#1f6390', collection: 'customers' }));
const cell = (path) => ({ path, gives: true, takes: true, conversion: { kind: 'asItStands' }, drift: 'putBack' });
const fields = Array.from({ length: FIELDS }, (_, n) => ({
  name: `Agreed field ${n}`, type: 'text', rule: 'ask', rank: [], states: [], firstMeeting: 'rank', group: null, emptyTravels: true, cells: sides.map((s) => cell(`group.of_fields.field_${s.index}_${n}`)),
}));
let draft = {
  step: 1, last: 1, what: 'Begin', undone: null, who: 'Maren Voll', at: null, basedOn: 1, sides, fields,
  settings: { name: 'Big', titleField: 'Agreed field 0', countryField: null, recognising: ['Agreed field 0'], sides: sides.map(() => ({ mayCreate: true, removal: 'ask', constants: [] })) },
  samples: fields.map((f) => f.cells.map((c) => `a value of ${c.path}`)), agreed: fields.map((f) => `a value of ${f.name}`),
  sample: { link: null, title: 'Brae Hire', position: 1, of: 9, ids: sides.map(() => '4007') }, isReading: false, fault: null,
  inPlainWords: fields.map((f) => `When the ${f.name} changes in System 1, the others get it. If several changed it, a person is asked.`), findings: [],
};
const mirror = { key: 'big', name: 'Big', recordType: 'customer', state: 'live', version: 1, everyMinutes: null, sides, fields: FIELDS, records: 9, lastRun: null, nextRun: null };

function answer(path, method, body) {
  if (path === '/api/session') return { name: 'Maren Voll', role: 'administrator', token: 't' };
  if (path === '/api/mirrors/big') return { mirror, fields: [], inPlainWords: [], sample: null };
  if (path === '/api/mirrors/big/draft' && method === 'PUT') draft = { ...draft, step: draft.step + 1, last: draft.step + 1, what: body.what, fields: body.fields };
  if (path === '/api/mirrors/big/draft') return draft;
  if (path.endsWith('/suggestions')) return { suggestions: [], refused: [] };
  if (path.endsWith('/try')) return { looked: 0, same: 0, rewritten: 0, lossy: 0, held: 0, trips: [], inverse: null, problems: [] };
  return path === '/api/queues' ? { conflicts: 0, lookAlikes: 0, held: 0 } : [];
}

const browser = await chromium.launch({ executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.route('**/*', async (route) => {
  const { pathname } = new URL(route.request().url());
  if (pathname === '/api/changes') return route.abort();
  if (pathname.startsWith('/api/')) return route.fulfill({ json: answer(pathname, route.request().method(), route.request().postDataJSON?.()) });
  const file = extname(pathname) ? pathname : '/index.html';
  return route.fulfill({ contentType: TYPES[extname(file)] ?? 'application/octet-stream', body: readFileSync(join(pages, file)) });
});
await page.goto('http://bench.invalid/mirrors/big/fields');
const first = page.locator('[data-cell="0.0"]');
await first.waitFor();

/** Scrolls for three seconds, a notch of the wheel every frame. */
const frames = await page.evaluate(async () => {
  const scroller = document.querySelector('[role=table]');
  const times = [];
  const end = performance.now() + 3000;
  await new Promise((done) => {
    const step = (now) => {
      times.push(now);
      scroller.scrollTop += 40;
      if (now < end) requestAnimationFrame(step);
      else done();
    };
    requestAnimationFrame(step);
  });
  if (scroller.scrollTop < 1000) throw new Error('It did not scroll.');
  return times.slice(1).map((t, i) => t - times[i]);
});
const dropped = frames.filter((f) => f > 25).length / frames.length;

/** Presses a key and waits until what it changes is painted: the cell that has the focus, or the mark beside it. */
async function press(key, count) {
  const times = [];
  for (let n = 0; n < count; n++) {
    await page.evaluate(() => {
      const seen = () => {
        const cell = document.activeElement;
        return `${cell.dataset.cell} ${cell.closest('[role=cell]')?.querySelector('[aria-label$="; change"]')?.ariaLabel}`;
      };
      const before = seen();
      window.answered = null;
      const hear = () => {
        const from = performance.now();
        const look = () => {
          if (seen() === before) return requestAnimationFrame(look);
          setTimeout(() => (window.answered = performance.now() - from));
        };
        requestAnimationFrame(look);
      };
      window.addEventListener('keydown', hear, { once: true, capture: true });
    });
    await page.keyboard.press(key);
    times.push(await (await page.waitForFunction(() => window.answered, null, { timeout: 5000 })).jsonValue());
    await page.waitForTimeout(60);
  }
  times.sort((a, b) => a - b);
  return { middle: times[count >> 1], slowest: times.at(-1) };
}

await page.evaluate(() => (document.querySelector('[role=table]').scrollTop = 0));
await first.waitFor();
await first.click();
const moving = await press('ArrowDown', 30);
const editing = await press('g', 12);
const edits = draft.step - 1;
await browser.close();
if (edits !== 12) throw new Error(`${edits} edits were kept of 12: what was measured is not what a person does.`);

const figure = (n) => n.toFixed(0);
console.log(`the bench with ${FIELDS} fields on ${SIDES} sides, scrolling: ${(dropped * 100).toFixed(1)} % of ${frames.length} frames were late (limit: 2 %)`);
console.log(`the same, moving from cell to cell by key: ${figure(moving.middle)} ms, at most ${figure(moving.slowest)} ms (limit: ${KEY_LIMIT} ms)`);
console.log(`the same, a key that edits: ${figure(editing.middle)} ms, at most ${figure(editing.slowest)} ms (limit: ${KEY_LIMIT} ms)`);
process.exit(dropped > 0.02 || moving.slowest > KEY_LIMIT || editing.slowest > KEY_LIMIT ? 1 : 0);
