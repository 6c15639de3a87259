import { expect, test } from '@playwright/test';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** People script against the command line: what it takes and prints is part of the product. */
const folder = mkdtempSync(join(tmpdir(), 'upright-cli-'));
const file = (name: string, text?: string) => {
  const path = join(folder, name);
  if (text !== undefined) writeFileSync(path, text);
  return path;
};

function upright(...args: string[]) {
  const ended = spawnSync('dotnet', [process.env.UPRIGHT_CLI!, ...args], { encoding: 'utf8', timeout: 90_000 });
  return { code: ended.status, out: ended.stdout, error: ended.stderr };
}

const record = () =>
  file(
    'record.json',
    JSON.stringify({ name: 'hanne LUNDE', 'Billing city': 'Kelburn', due: '2026-01-31', amount: 12.5, none: null, lines: [{ price: 2 }, { price: 3.5 }] }),
  );

for (const [formula, printed] of [
  ['PROPER([name])', '"Hanne Lunde"'],
  ['[Billing city]', '"Kelburn"'],
  ['EDATE(due; 1)', '"2026-02-28"'],
  ['amount * 2', '25'],
  ['SUM([lines.price])', '5.5'],
  ['amount > 10', 'true'],
  ['none', 'null'],
  ['1/0', '"#DIV/0!"'],
] as const)
  test(`formula ${formula} prints ${printed}`, () => {
    const ended = upright('formula', formula, '--record', record());
    expect(ended.out).toBe(`${printed}\n`);
    expect(ended.code).toBe(0);
  });

test('a formula that is none, or names a field that there is not, ends with 2, its place and the reason', () => {
  const broken = upright('formula', 'LEFT([name]', '--record', record());
  expect([broken.code, broken.out]).toEqual([2, '']);
  expect(broken.error).toContain('At character 12: The brackets of LEFT at character 1 are not closed');
  const unknown = upright('formula', '1 + shoe', '--record', record());
  expect(unknown.code).toBe(2);
  expect(unknown.error).toContain('At character 5: There is no field called shoe.');
  expect(upright('formula', '1', '--record', file('missing.json')).code).toBe(2);
  expect(upright('formula', '1', '--record', file('broken.json', '[1')).code).toBe(2);
});

test('learn prints a formula, and applies it to rows that it has not seen', () => {
  const examples = file('examples.csv', 'first,last,output\nHanne,Lunde,"Lunde, Hanne"\nTomasz,Wier,"Wier, Tomasz"\n');
  const rows = file('in.csv', 'id,first,last\n7,Aoife,Brannock\n8,Piet,"de ""Boer"""\n');
  const ended = upright('learn', '--examples', examples, '--apply', rows, '--out', file('out.csv'));
  expect(ended.code).toBe(0);
  expect(ended.out).toContain('[last]');
  expect(readFileSync(file('out.csv'), 'utf8')).toBe('id,first,last,output\n7,Aoife,Brannock,"Brannock, Aoife"\n8,Piet,"de ""Boer""","de ""Boer"", Piet"\n');
});

test('learn ends with 2 where nothing fits, and where the files are not what they should be', () => {
  const nothing = upright('learn', '--examples', file('nothing.csv', 'a,output\nx,q7\ny,zz\nw,#1\n'));
  expect([nothing.code, nothing.out]).toEqual([2, '']);
  expect(nothing.error).toContain('No formula fits all of the examples.');
  expect(upright('learn', '--examples', file('no-output.csv', 'a,b\n1,2\n')).error).toContain('the last column of the examples is called output');
  expect(upright('learn', '--examples', file('not-there.csv')).code).toBe(2);
});

test('suggest pairs headers by name and values, each once, with a confidence', () => {
  const left = file('l.csv', 'first_name,email_address,q17\nHanne,h@x.example,C-21704\nPiet,p@y.example,C-88\nAoife,a@z.example,C-417\n');
  const right = file('r.csv', 'EMail,Code,GivenName,Warehouse\nh@x.example,C-88,Hanne,North\na@z.example,C-21704,Aoife,South\nb@w.example,C-417,Ida,North\n');
  expect(upright('suggest', '--left', left, '--right', right, '--out', file('s.csv')).code).toBe(0);
  const [header, ...rows] = readFileSync(file('s.csv'), 'utf8').trim().split('\n');
  expect(header).toBe('left,right,confidence');
  expect(rows.map((r) => r.split(',').slice(0, 2).join('=')).sort()).toEqual(['email_address=EMail', 'first_name=GivenName', 'q17=Code']);
  for (const row of rows) expect(Number(row.split(',')[2])).toBeGreaterThanOrEqual(0.5);
});

test('suggest takes JSON Schemas too', () => {
  const schema = file('l.json', JSON.stringify({ properties: { telephone: { type: 'string' }, address: { properties: { zip: { type: 'string' } } } } }));
  expect(upright('suggest', '--left', schema, '--right', file('r2.csv', 'Phone,PostCode\n'), '--out', file('s2.csv')).code).toBe(0);
  expect(readFileSync(file('s2.csv'), 'utf8')).toMatch(/telephone,Phone,0\.\d+\n/);
  expect(readFileSync(file('s2.csv'), 'utf8')).toMatch(/address\.zip,PostCode,0\.\d+\n/);
});

test('match finds the rows of two files that are the same, explains them to the last digit, and tells how well it did', () => {
  const rivers = ['Heron', 'Gannet', 'Curlew', 'Plover', 'Dunlin', 'Egret', 'Godwit', 'Snipe', 'Avocet', 'Ruff'];
  const kinds = ['Canoe Club', 'Boat Shed', 'Paddle School', 'Kayak Hire'];
  const name = (n: number) => `${rivers[n % 10]} ${['Weir', 'Quay', 'Sound', 'Reach', 'Basin', 'Inlet'][Math.floor(n / 10)]} ${kinds[n % 4]}`;
  const rows = (from: number, head: string, row: (n: number) => string) => [head, ...Array.from({ length: 40 }, (_, i) => row(from + i)), ''].join('\n');
  const left = file(
    'a.csv',
    rows(0, 'id,name,email,town', (n) => `L${n},${name(n)} Ltd,office@club${n}.example,Kelburn`),
  );
  const right = file(
    'b.csv',
    rows(20, 'id,CustomerName,EMail,City', (n) => `R${n},THE ${name(n).toUpperCase()},Office@club${n}.example,Kelburn`),
  );
  const truth = file(
    't.csv',
    rows(20, 'left,right', (n) => `L${n},R${n}`),
  );
  const made = upright('match', '--left', left, '--right', right, '--out', file('links.csv'), '--explain', '--truth', truth);
  expect([made.code, made.error]).toEqual([0, '']);
  expect(made.out).toMatch(/^precision 1\.0000 {2}recall 1\.0000 {2}F1 1\.0000 {2}\(20 of 20 pairs right, 20 to be found\)$/m);
  const [header, ...pairs] = readFileSync(file('links.csv'), 'utf8').trim().split('\n');
  expect(header).toBe('left_id,right_id,probability,before,name,email,town,relatives,others');
  expect(pairs).toHaveLength(20);
  for (const pair of pairs) {
    const [a, b, probability, ...weights] = pair.split(',');
    expect(a!.slice(1)).toBe(b!.slice(1));
    expect(1 / (1 + Math.exp(-weights.map(Number).reduce((sum, w) => sum + w, 0)))).toBeCloseTo(Number(probability), 3);
  }
});

test('match within one file writes plain results, and says plainly what it can not take', () => {
  const out = file('doubles.csv');
  expect(upright('match', '--within', file('one.csv', 'id,name\n1,Heron\n'), '--out', out).code).toBe(0);
  expect(readFileSync(out, 'utf8')).toBe('left_id,right_id,probability\n');
  const twice = upright('match', '--within', file('twice.csv', 'id,name\n1,a\n1,b\n'), '--out', out);
  expect([twice.code, twice.error]).toEqual([2, `${file('twice.csv')}: the id 1 stands in 2 rows. Each row has an id of its own.\n`]);
  expect(upright('match', '--within', file('no-id.csv', 'name\na\n'), '--out', out).error).toContain('the first column is called id');
  expect(upright('match', '--within', file('one.csv'), '--out', out, '--fields', 'colour:organisation').error).toContain('there is no column called colour');
  expect(upright('match', '--within', file('one.csv'), '--out', out, '--fields', 'name:colour').error).toContain('there is no kind called colour');
  expect(upright('match', '--out', out).code).toBe(2);
});

test('systems, a test of a connection and a catalogue are printed line by line', () => {
  const systems = upright('systems');
  expect(systems.code).toBe(0);
  expect(systems.out).toContain('Slipway CRM');
  expect(systems.out).toContain('Ballast ERP');
  const tested = upright('test-connection', 'ballast');
  expect(tested.code).toBe(0);
  expect(tested.out).toMatch(/Signed in\s+passed/);
  const catalogue = upright('catalogue', 'ballast', '--refresh');
  expect(catalogue.out).toContain('CustomerName');
  expect(upright('test-connection', 'nobody').code).toBe(2);
  expect(upright('frobnicate').code).toBe(2);
});
