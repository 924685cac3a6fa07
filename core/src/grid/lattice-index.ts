/**
 * Numbers kept by a place (row, col) of a lattice: which corner is the neighbour of which is asked hundreds of thousands of times for a plate of small
 * cells. Open addressing with linear probing over typed arrays; rows and columns may be negative, and any lattice's extent will do.
 */
export class LatticeIndex {
  private rows: Int32Array;
  private cols: Int32Array;
  /** the number kept, or −1 where the slot is empty */
  private values: Int32Array;
  private count = 0;

  /** @param nodes each kept by its place under its number in the list; of two at one place the later one */
  constructor(nodes: readonly { row: number; col: number }[] = []) {
    const slots = slotsFor(nodes.length);
    this.rows = new Int32Array(slots);
    this.cols = new Int32Array(slots);
    this.values = new Int32Array(slots).fill(-1);
    for (let i = 0; i < nodes.length; i += 1) this.set(nodes[i].row, nodes[i].col, i);
  }

  /** What is kept at a place; −1 where nothing is. */
  at(row: number, col: number): number {
    return this.values[this.slotOf(row, col)];
  }

  has(row: number, col: number): boolean {
    return this.at(row, col) >= 0;
  }

  /** @param value 0 or more */
  set(row: number, col: number, value: number): void {
    let slot = this.slotOf(row, col);
    if (this.values[slot] < 0) {
      if (2 * (this.count + 1) > this.values.length) {
        this.grow();
        slot = this.slotOf(row, col);
      }
      this.count += 1;
      this.rows[slot] = row;
      this.cols[slot] = col;
    }
    this.values[slot] = value;
  }

  /** The slot of a place, or the empty one where it would go. */
  private slotOf(row: number, col: number): number {
    const { rows, cols, values } = this;
    const mask = values.length - 1;
    let slot = Math.imul(Math.imul(row, 0x9e3779b1) + col, 0x85ebca6b);
    slot = (slot ^ (slot >>> 15)) & mask;
    while (values[slot] >= 0 && (rows[slot] !== row || cols[slot] !== col)) slot = (slot + 1) & mask;
    return slot;
  }

  private grow(): void {
    const { rows, cols, values } = this;
    const slots = 2 * values.length;
    this.rows = new Int32Array(slots);
    this.cols = new Int32Array(slots);
    this.values = new Int32Array(slots).fill(-1);
    this.count = 0;
    for (let i = 0; i < values.length; i += 1) if (values[i] >= 0) this.set(rows[i], cols[i], values[i]);
  }
}

/** A power of two of which less than half is in use. */
const slotsFor = (count: number): number => 2 ** Math.max(4, Math.ceil(Math.log2(2 * count + 2)));
