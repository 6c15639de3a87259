import { cleanup, render, screen, within } from '@testing-library/react';
import { afterEach, describe, expect, it } from 'vitest';
import { Spine, type SpineRow } from './Spine';

const SIDES = ['Slipway CRM', 'Ballast ERP', 'Third', 'Fourth', 'Fifth'].map((name, index) => ({
  side: { index, system: name, name, monogram: name.slice(0, 2), colour: '#333333', collection: 'things' },
}));
const rowOf = (n: number, sides: number, change: Partial<SpineRow> = {}): SpineRow => ({
  key: `f${n}`,
  label: `Field ${n}`,
  spine: `agreed ${n}`,
  cells: Array.from({ length: sides }, (_, s) => ({ main: `side ${s} says ${n}`, gives: true, takes: s === 0 })),
  ...change,
});
const draw = (sides: number, rows: SpineRow[]) =>
  render(<Spine caption="A record" sides={SIDES.slice(0, sides)} title="Agreed record" rows={rows} labelled />);

afterEach(cleanup);

describe('the spine', () => {
  it.each([2, 3, 4, 5])('keeps the order of %i sides around the agreed record', (sides) => {
    draw(sides, [rowOf(1, sides)]);
    const heads = screen.getAllByRole('columnheader').map((h) => h.textContent);
    const middle = heads.findIndex((h) => h?.includes('Agreed record'));
    const names = heads.filter((_, i) => i > 0 && i !== middle);
    expect(names.map((n) => SIDES.findIndex((s) => n!.includes(s.side.name)))).toEqual([...Array(sides).keys()]);
    expect(middle).toBeGreaterThan(1);
    expect(middle).toBeLessThan(sides + 1);
  });

  it('says who gives and takes in words, not by a mark alone', () => {
    draw(2, [rowOf(1, 2)]);
    expect(screen.getByRole('img', { name: 'Slipway CRM gives and takes' })).toBeTruthy();
    expect(screen.getByRole('img', { name: 'Ballast ERP gives' })).toBeTruthy();
  });

  it('says what differs, and what a side does not keep', () => {
    const row = rowOf(1, 2, { cells: [{ main: 'other', gives: true, takes: true, differs: true }, null] });
    draw(2, [row]);
    expect(within(screen.getAllByRole('row')[1]!).getByText('differs:')).toBeTruthy();
    expect(screen.getByText('not kept here')).toBeTruthy();
  });

  it('names the group of fields that are settled as one', () => {
    draw(2, [rowOf(1, 2, { group: 'Address' }), rowOf(2, 2, { group: 'Address' }), rowOf(3, 2)]);
    expect(screen.getAllByTitle('Address: settled as one')).toHaveLength(2);
  });

  it('draws only what is in view of 500 rows', () => {
    draw(
      2,
      Array.from({ length: 500 }, (_, n) => rowOf(n, 2)),
    );
    expect(screen.getByRole('table').getAttribute('aria-rowcount')).toBe('501');
    expect(screen.getAllByRole('row').length).toBeLessThan(120);
  });
});
