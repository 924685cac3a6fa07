import { uniform } from '@mesure/synthetic';
import { LatticeIndex } from './lattice-index';

describe('places of a lattice', () => {
  it('keeps what it was given, whatever the rows and columns, as a plain map does', () => {
    const random = uniform(11);
    const plain = new Map<string, number>();
    const index = new LatticeIndex();
    for (let i = 0; i < 5000; i += 1) {
      const row = Math.floor(random() * 160) - 80;
      const col = Math.floor(random() * 90) - 30;
      plain.set(`${row},${col}`, i);
      index.set(row, col, i);
    }
    for (let row = -85; row < 85; row += 1) for (let col = -35; col < 65; col += 1) expect(index.at(row, col)).toBe(plain.get(`${row},${col}`) ?? -1);
    expect(index.has(1_000_000, -1_000_000)).toBe(false);
  });

  it('numbers a list by its places; an empty one has none', () => {
    const index = new LatticeIndex([
      { row: 0, col: -1 },
      { row: 7, col: 2 },
      { row: 0, col: -1 },
    ]);
    expect([index.at(0, -1), index.at(7, 2), index.at(-1, 0)]).toEqual([2, 1, -1]);
    expect(new LatticeIndex([]).at(0, 0)).toBe(-1);
  });
});
