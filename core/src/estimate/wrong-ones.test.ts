import { normals } from '@mesure/synthetic';
import { chooseFacts, leaveOut, misfitOf, snoop } from '.';

/** Numbers with sigma one, of which some are averaged. */
interface Averaged {
  values: readonly number[];
  out: ReadonlySet<number>;
  mean: number;
  chi2: number;
  redundancy: number;
}
function average(values: readonly number[], out: ReadonlySet<number> = new Set()): Averaged {
  const kept = values.filter((_, i) => !out.has(i));
  const mean = kept.reduce((s, v) => s + v, 0) / Math.max(1, kept.length);
  return { values, out, mean, chi2: kept.reduce((s, v) => s + (v - mean) ** 2, 0), redundancy: kept.length - 1 };
}
/** So many that scatter by one, with some put elsewhere. */
function drawn(n: number, wrong: Readonly<Record<number, number>>, seed = 5): number[] {
  const noise = normals(seed);
  return Array.from({ length: n }, (_, i) => noise() + (wrong[i] ?? 0));
}

describe('choosing among all answers', () => {
  const fitOf = (values: readonly number[]) => (out: readonly number[]) => {
    const { mean, chi2 } = average(values, new Set(out));
    return { misfit: chi2, off: values.map((v) => (v - mean) ** 2) };
  };
  const groups = (n: number) => Array.from({ length: n }, (_, i) => ({ id: String(i), facts: [i] }));

  test('few and many: two that are far off go, and the order in which they come is of no account', () => {
    for (const n of [5, 12, 40]) {
      const values = Array.from({ length: n }, (_, i) => Math.sin(7 * i));
      values[1] = 30;
      values[n - 1] = -18;
      expect(chooseFacts(groups(n), fitOf(values), [[0, 2]]).best.out).toEqual([1, n - 1]);
    }
  });
  test('from a start that left out the right ones, they come back', () => {
    const values = [0, 0.3, -0.2, 50, ...Array.from({ length: 30 }, (_, i) => Math.cos(5 * i))];
    expect(chooseFacts(groups(values.length), fitOf(values), [[0, 1, 2]]).best.out).toEqual([3]);
  });
  test('two against two is undecided, three against two is not', () => {
    const two = chooseFacts(groups(4), fitOf([0, 0.2, 20, 20.1]), []);
    expect([two.best.out, ...two.rivals.map((r) => r.out)].sort()).toEqual([
      [0, 1],
      [2, 3],
    ]);
    const three = chooseFacts(groups(5), fitOf([0, 0.2, 20, 20.1, 0.1]), []);
    expect(three).toMatchObject({ best: { out: [2, 3] }, rivals: [] });
  });
});

describe('leaving out one by one', () => {
  const problem = {
    without: (a: Averaged) => a.values.flatMap((_, what) => (a.out.has(what) ? [] : [{ what, rest: average(a.values, new Set([...a.out, what])) }])),
    offSigmas: ({ what, rest }: { what: number; rest: Averaged }) => Math.abs(rest.values[what] - rest.mean) / Math.sqrt(1 + 1 / (rest.redundancy + 1)),
  };
  const leaving = (values: readonly number[]) => leaveOut(average(values), problem);

  test('a wrong one of six goes, of two wrong ones first the worse', () => {
    expect(leaving(drawn(6, { 4: 20 })).left.map((l) => l.what)).toEqual([4]);
    expect(leaving(drawn(9, { 2: -40, 7: 18 })).left.map((l) => l.what)).toEqual([2, 7]);
  });
  test('what is said of the rest is what remains without it', () => {
    const { answer, left } = leaving(drawn(8, { 0: 25 }));
    expect(answer.out).toEqual(new Set([0]));
    expect(answer).toBe(left[0].rest);
    expect(misfitOf(answer)).toBeLessThan(1.5);
  });
  test('of two readings of one number that disagree nothing tells which is wrong: both are named and none goes', () => {
    // the first two are readings of one number, the others of another
    const both = (values: readonly number[], out = new Set<number>()) => {
      const [a, b] = [
        [0, 1],
        [2, 3],
      ].map((pair) => average(values, new Set([...values.keys()].filter((i) => out.has(i) || !pair.includes(i)))));
      return { out, chi2: a.chi2 + b.chi2, redundancy: a.redundancy + b.redundancy };
    };
    const values = [0, 20, 7, 7.4];
    const { undecided, left } = leaveOut(both(values), {
      without: ({ out }) => values.flatMap((_, what) => (out.has(what) ? [] : [{ what, rest: both(values, new Set([...out, what])) }])),
      offSigmas: () => 20,
    });
    expect([left, [...undecided!].sort()]).toEqual([[], [0, 1]]);
  });
  test('without a mistake nothing goes in 400 draws of eight', () => {
    let gone = 0;
    for (let i = 0; i < 400; i += 1) gone += leaving(drawn(8, {}, 100 + i)).left.length;
    expect(gone).toBeLessThanOrEqual(2);
  });
  test('numbers that are coarser than was said are no mistakes of one of them', () => {
    const values = drawn(10, {}, 9).map((v) => 5 * v);
    expect(leaving(values)).toMatchObject({ left: [], undecided: null });
  });
  test('one that says the same in other words is no second explanation, and is told with it', () => {
    // the wrong number stands twice: as itself and as what it was read from
    const values = drawn(7, { 3: 20 });
    const twice = {
      without: (a: Averaged) =>
        problem.without(a).flatMap((o) => [
          { ...o, what: `number ${o.what}` },
          { ...o, what: `reading ${o.what}` },
        ]),
      offSigmas: () => 20,
    };
    expect(leaveOut(average(values), twice).undecided).toEqual(['number 3', 'reading 3']);
    const told = leaveOut(average(values), { ...twice, saysTheSame: (a: string, b: string) => a.slice(-1) === b.slice(-1) });
    expect(told.left.map((l) => [l.what, l.asWell])).toEqual([['number 3', ['reading 3']]]);
  });
});

describe('snooping among many', () => {
  /** Each number is a thing; `near` lists what it speaks of. */
  const snooping = (values: readonly number[], most = 10, mostSpread = 1, near = (i: number) => [String(i)], start = new Set<number>()) =>
    snoop<Averaged>(
      {
        judge: (fit) =>
          values.map((v, row) => {
            const n = fit.redundancy + 1;
            const isOut = fit.out.has(row);
            return { row, isOut, w: (v - fit.mean) / Math.sqrt(isOut ? 1 + 1 / n : 1 - 1 / n) };
          }),
        thingOf: (row) => row,
        speaksOf: near,
        outOf: (fit) => fit.out,
        without: (_, out) => average(values, out),
      },
      average(values, start),
      most,
      mostSpread,
    );

  test('those that are far off go, and nothing else', () => {
    expect([...snooping(drawn(60, { 5: 30, 17: -25, 40: 12 })).fit.out].sort((a, b) => a - b)).toEqual([5, 17, 40]);
  });
  test('what was left out to begin with comes back where it fits', () => {
    expect([...snooping(drawn(40, { 9: 50 }), 10, 1, undefined, new Set([1, 2, 3])).fit.out]).toEqual([9]);
  });
  test('two of one thing are not taken out in one round, since one of them may be good', () => {
    const rounds: number[] = [];
    const values = drawn(30, { 4: 60, 5: 59 });
    const near = (i: number) => [String(i >> 1)];
    snoop<Averaged>(
      {
        judge: (fit) => values.map((v, row) => ({ row, isOut: fit.out.has(row), w: v - fit.mean })),
        thingOf: (row) => row,
        speaksOf: near,
        outOf: (fit) => fit.out,
        without: (_, out) => (rounds.push(out.size), average(values, out)),
      },
      average(values),
      10,
      1,
    );
    expect(rounds.slice(0, 2)).toEqual([1, 2]);
  });
  test('more than may go are said to be bad still; tolerances that are small throughout are no blunders', () => {
    expect(snooping(drawn(30, { 1: 40, 2: -40, 3: 60, 4: -60 }), 2)).toMatchObject({ stillBad: true });
    const wide = snooping(
      drawn(30, {}, 3).map((v) => 3 * v),
      10,
      5,
    );
    expect([wide.fit.out.size, wide.stillBad]).toEqual([0, false]);
    expect(wide.spread).toBeGreaterThan(1.8);
  });
});
