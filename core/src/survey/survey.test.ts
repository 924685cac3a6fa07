import { USUAL_SIGMA } from '../facts';
import { seededNormal, seededRandom, type Vec3 } from '../math';
import { explainLength } from './explain';
import { NetRows, type NetFact } from '../facts';
import { intersect } from './intersect';
import { errorEllipse, netOnPlan } from './to-plan';
import type { NetInput, NetResult } from './net-result';
import { solveNet } from './solve-net';
import { wordsOf } from '../warnings';

const tie = (a: string, b: string, m: number, sigmaM = 0.002): NetFact => ({ kind: 'tie', a, b, m, sigmaM });
const height = (id: string, m: number, sigmaM = 0.002): NetFact => ({ kind: 'height', id, m, sigmaM });
const exact: Vec3 = [0, 0, 0];
const at = (r: NetResult, id: string) => r.points.find((p) => p.id === id)!;
const apart = (a: Vec3, b: Vec3) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

/** A set of marks on a floor, a wall and a table, by this file's own numbers. */
const SET: Record<string, Vec3> = {
  F1: [-2, 0, -2],
  F2: [2.2, 0, -2.3],
  F3: [1.8, 0, -5],
  F4: [-1.6, 0, -4.6],
  W1: [-2.2, 1.7, -5.4],
  W2: [0.1, 2.4, -5.5],
  W3: [2.1, 1.5, -5.4],
  T1: [0.4, 0.76, -3.4],
  T2: [0.9, 0.75, -3.9],
};
const names = Object.keys(SET);
const allTies = (noise: () => number = () => 0): NetFact[] => names.flatMap((a, i) => names.slice(i + 1).map((b) => tie(a, b, apart(SET[a], SET[b]) + noise())));
/** Largest error of the distances between all points: free of the datum, and of mirroring. */
const shapeError = (r: NetResult) => Math.max(...names.flatMap((a, i) => names.slice(i + 1).map((b) => Math.abs(apart(at(r, a).at, at(r, b).at) - apart(SET[a], SET[b])))));

describe('one point from known ones', () => {
  // whole-number triangles, and variances by rational arithmetic: 93457/10968, 169/457, 280371/58496 of the sigma squared
  const known = (
    [
      ['a', [0, 0, 0]],
      ['b', [6, 0, 0]],
      ['c', [0, 0, 8]],
      ['d', [3, 24, 4]],
    ] as [string, Vec3][]
  ).map(([id, q]) => ({ id, at: q, sigmaM: exact }));
  const facts = [tie('p', 'a', 13), tie('p', 'b', 13), tie('p', 'c', 13), tie('p', 'd', 12)];
  it('is found, with the sigmas that the geometry gives', () => {
    const r = solveNet({ facts, known });
    expect(r.status).toBe('solved');
    [3, 12, 4].forEach((v, i) => expect(at(r, 'p').at[i]).toBeCloseTo(v, 6));
    [5.838, 1.216, 4.379].forEach((v, i) => expect(1000 * at(r, 'p').sigmaM[i]!).toBeCloseTo(v, 2));
    expect(r.mirror.status).toBe('settled');
    expect(r.datum).toBe('the known points');
    expect(r.redundancy).toBe(1);
  });
});

describe('a tape net', () => {
  it('finds its shape from ties alone, and says what it took for the datum', () => {
    const r = solveNet({ facts: allTies() });
    expect(r.status).toBe('solved');
    expect(shapeError(r)).toBeLessThan(1e-5);
    expect(r.datum).toMatch(/^origin at .+; height counted from .+; \+X towards .+; level through/);
    expect(wordsOf(r.warnings).join()).toMatch(/which way is up/);
    expect(r.mirror.status).toBe('open');
  });
  it('stands upright on three heights', () => {
    const r = solveNet({ facts: [...allTies(), height('F1', 0), height('F2', 0), height('F3', 0), height('W2', 2.4)] });
    for (const id of names) expect(at(r, id).at[1]).toBeCloseTo(SET[id][1], 4);
    expect(r.datum).toMatch(/heights from the floor/);
  });
  it('needs only two ties a point where heights are known', () => {
    const pairs = [
      ['F1', 'F2'],
      ['F1', 'F3'],
      ['F2', 'F3'],
      ['F1', 'F4'],
      ['F2', 'F4'],
      ['F3', 'T1'],
      ['F1', 'T1'],
      ['F2', 'T1'],
    ];
    const r = solveNet({ facts: [...pairs.map(([a, b]) => tie(a, b, apart(SET[a], SET[b]))), ...['F1', 'F2', 'F3', 'F4', 'T1'].map((id) => height(id, SET[id][1]))] });
    expect(r.points.map((p) => p.id).sort()).toEqual(['F1', 'F2', 'F3', 'F4', 'T1']);
    expect(apart(at(r, 'F4').at, at(r, 'F1').at)).toBeCloseTo(apart(SET.F4, SET.F1), 4);
  });
  it('scatters as its sigmas say', () => {
    const normal = seededNormal(12);
    let square = 0,
      sigma0 = 0;
    const N = 60;
    for (let k = 0; k < N; k += 1) {
      const r = solveNet({ facts: [...allTies(() => 0.002 * normal()), ...['F1', 'F2', 'F3', 'F4'].map((id) => height(id, 0.002 * normal()))] });
      square += ((at(r, 'T1').at[1] - SET.T1[1]) / at(r, 'T1').sigmaM[1]!) ** 2 / N;
      sigma0 += r.sigma0! ** 2 / N;
    }
    // 60 draws scatter by a tenth; one fact in a thousand is left out by chance, which hardly shows
    expect(Math.sqrt(square)).toBeGreaterThan(0.75);
    expect(Math.sqrt(square)).toBeLessThan(1.25);
    expect(Math.sqrt(sigma0)).toBeCloseTo(1, 1);
  });
  it('finds the tie that contradicts, leaves it out, and says by how much', () => {
    const normal = seededNormal(5);
    for (const [wrongBy, what] of [
      [(m: number) => m * 2.54, 'an inch reading'],
      [(m: number) => m / 2.54, 'an inch reading the other way'],
      [(m: number) => m + 0.1, 'ten centimetres'],
      [(m: number) => m - 0.03, 'three centimetres'],
    ] as const) {
      const facts = [...allTies(() => 0.001 * normal()), height('F1', 0), height('F2', 0), height('F3', 0)];
      const i = facts.findIndex((f) => f.kind === 'tie' && f.a === 'F2' && f.b === 'W2');
      const bad = facts[i] as NetFact & { m: number };
      facts[i] = { ...bad, m: wrongBy(bad.m) } as NetFact;
      const r = solveNet({ facts });
      expect([what, r.facts.filter((f) => f.suspect).map((f) => f.fact)]).toEqual([what, [i]]);
      expect(r.facts[i].residualM).toBeCloseTo(wrongBy(bad.m) - apart(SET.F2, SET.W2), 2);
      expect(Math.abs(r.facts[i].normalised!)).toBeGreaterThan(8);
      expect(shapeError(r)).toBeLessThan(0.006);
    }
  });
  it('does not call tolerances that are too small blunders, but says that they are', () => {
    const normal = seededNormal(8);
    const r = solveNet({ facts: [...allTies(() => 0.01 * normal()), height('F1', 0), height('F2', 0), height('F3', 0)] });
    expect(r.facts.filter((f) => f.suspect).length).toBeLessThan(2);
    expect(wordsOf(r.warnings).join()).toMatch(/scatter [3-7]\.\d times as much as their tolerances say/);
  });
  it('says what a point still needs, and gives no place for it', () => {
    const some = names.filter((n) => n !== 'T2');
    const facts = [...allTies().filter((f) => f.kind === 'tie' && f.a !== 'T2' && f.b !== 'T2'), tie('T2', 'F1', 3), tie('T2', 'F2', 2)];
    const r = solveNet({ facts });
    expect(r.status).toBe('partial');
    expect(r.points.map((p) => p.id).sort()).toEqual([...some].sort());
    expect(r.open).toEqual([{ id: 'T2', facts: 2, missing: 'one further tie to determined points, or its height' }]);
  });
  it('tells the part that bends from the part that holds', () => {
    // four points of their own, hinged to the rest at two of its points
    const far: Record<string, Vec3> = { H1: [6, 0, -3], H2: [7, 1, -4], H3: [6, 2, -5], H4: [7, 0.5, -5.5] };
    const here = { ...SET, ...far };
    const group = ['F2', 'F3', 'H1', 'H2', 'H3', 'H4'] as const;
    const hinge = group.flatMap((a, i) => group.slice(i + 1).map((b) => tie(a, b, apart(here[a as keyof typeof here], here[b as keyof typeof here]))));
    const r = solveNet({ facts: [...allTies(), ...hinge.filter((f) => !(f.kind === 'tie' && f.a === 'F2' && f.b === 'F3'))] });
    expect(r.status).toBe('partial');
    expect(r.open.map((o) => o.id).sort()).toEqual(['H1', 'H2', 'H3', 'H4']);
    expect(r.open[0].missing).toMatch(/moves against the rest/);
    expect(shapeError(r)).toBeLessThan(1e-4);
  });
  it('knows no heights of a net that lies in one plane', () => {
    const flat = names.map((n, i) => [n, [1.3 * (i % 3) + 0.1 * i, 0, -2 - 0.9 * Math.floor(i / 3) - 0.07 * i * (i % 2)] as Vec3] as const);
    const facts = flat.flatMap(([a, p], i) => flat.slice(i + 1).map(([b, q]) => tie(a, b, apart(p, q))));
    const r = solveNet({ facts });
    expect(r.status).toBe('solved');
    expect(r.points.filter((p) => p.sigmaM[1] === null).length).toBeGreaterThan(names.length / 2);
    expect(wordsOf(r.warnings).join()).toMatch(/lies in one plane/);
    const withHeights = solveNet({ facts: [...facts, ...flat.map(([id]) => height(id, 0))] });
    expect(withHeights.points.every((p) => p.sigmaM[1]! < 0.003)).toBe(true);
  });
  it('takes plumb lines, levels and distances from a wall', () => {
    // P over F1, and Q half a metre off the wall through W1 and W3 (z = −5.4), as high as P
    const P: Vec3 = [-2, 1.5, -2];
    const Q: Vec3 = [0.3, 1.5, -4.9];
    const facts: NetFact[] = [
      ...allTies(),
      ...['F1', 'F2', 'F3', 'F4'].map((id) => height(id, 0)),
      { kind: 'plumb', a: 'F1', b: 'P', sigmaM: 0.002 },
      tie('P', 'F2', apart(P, SET.F2)),
      { kind: 'level', a: 'P', b: 'Q', sigmaM: 0.002 },
      { kind: 'wall', id: 'Q', a: 'W1', b: 'W3', m: 0.5, sigmaM: 0.003 },
      tie('Q', 'F4', apart(Q, SET.F4)),
      tie('Q', 'F2', apart(Q, SET.F2)),
    ];
    const r = solveNet({ facts });
    expect(apart(at(r, 'P').at, at(r, 'F1').at)).toBeCloseTo(1.5, 3);
    const wall = r.facts[facts.findIndex((f) => f.kind === 'wall')];
    expect(wall).toMatchObject({ suspect: false });
    expect(wall.computedM).toBeCloseTo(0.5, 3);
    expect(at(r, 'Q').at[1]).toBeCloseTo(1.5, 3);
    expect(apart(at(r, 'Q').at, at(r, 'T1').at)).toBeCloseTo(apart(Q, SET.T1), 3);
  });
});

describe('left and right', () => {
  const heights = ['F1', 'F2', 'F3', 'F4'].map((id) => height(id, 0));
  const facts = [...allTies(), ...heights];
  /** whether the way F1 → F2 → F3 turns left, seen from above with +Z towards the reader */
  const left = (r: NetResult) => {
    const [a, b, c] = ['F1', 'F2', 'F3'].map((id) => at(r, id).at);
    return (b[0] - a[0]) * (c[2] - b[2]) - (b[2] - a[2]) * (c[0] - b[0]) < 0;
  };
  const truth = (SET.F2[0] - SET.F1[0]) * (SET.F3[2] - SET.F2[2]) - (SET.F2[2] - SET.F1[2]) * (SET.F3[0] - SET.F2[0]) < 0;
  it('is asked, not guessed', () => {
    const r = solveNet({ facts });
    expect(r.mirror.status).toBe('open');
    expect(r.mirror.words).toMatch(/The mirror image fits as well.*turns (left|right), as seen from above: is that so\?/);
    const { a, b, c } = r.mirror.ask!;
    for (const said of [true, false]) {
      const answered = solveNet({ facts, turn: { a: 'F1', b: 'F2', c: 'F3', left: said } });
      expect(left(answered)).toBe(said);
      expect(answered.mirror.status).toBe('settled');
    }
    expect(new Set([a, b, c]).size).toBe(3);
  });
  it('is settled by the plan, though the plan is decimetres off and turned', () => {
    const random = seededRandom(3);
    for (const mirrored of [false, true]) {
      // the plan turned by a quarter, moved, and 20 cm off; or its mirror image
      const near = new Map(names.map((n): [string, Vec3] => [n, [(mirrored ? -1 : 1) * SET[n][2] + 0.4 * (random() - 0.5) + 3, SET[n][1], -SET[n][0] + 0.4 * (random() - 0.5)]]));
      const r = solveNet({ facts, near });
      expect(r.mirror).toMatchObject({ status: 'settled', words: 'the plan tells left from right' });
      expect(left(r)).toBe(mirrored ? !truth : truth);
    }
  });
  it('is settled by four known points, and by three with a height above them', () => {
    const known = (ids: string[]) => ids.map((id) => ({ id, at: SET[id], sigmaM: [0.001, 0.001, 0.001] as Vec3 }));
    const r = solveNet({ facts: allTies(), known: known(['F1', 'F2', 'F3', 'W2']) });
    for (const id of names) expect(apart(at(r, id).at, SET[id])).toBeLessThan(1e-3);
    const three = solveNet({ facts: [...allTies(), height('W2', 2.4)], known: known(['F1', 'F2', 'F3']) });
    for (const id of names) expect(apart(at(three, id).at, SET[id])).toBeLessThan(2e-3);
    expect(three.mirror.status).toBe('settled');
  });
});

describe('a large net', () => {
  it('of 200 points and 800 ties finds three blunders and holds to millimetres', () => {
    const random = seededRandom(39);
    const normal = seededNormal(40);
    const n = 200;
    const points = Array.from({ length: n }, (): Vec3 => [12 * random() - 6, random() < 0.4 ? 0 : 3.5 * random(), 8 * random() - 8]);
    const facts: NetFact[] = [];
    const seen = new Set<string>();
    const put = (i: number) => {
      const j = Math.floor(random() * n);
      const key = `${Math.min(i, j)}-${Math.max(i, j)}`;
      const d = apart(points[i], points[j]);
      if (i === j || d > 4 || seen.has(key)) return false;
      seen.add(key);
      facts.push(tie(`p${i}`, `p${j}`, d + 0.002 * normal()));
      return true;
    };
    for (let i = 0; i < n; i += 1) for (let k = 0; k < 4;) if (put(i)) k += 1;
    const blunders = [100, 333, 707];
    for (const i of blunders) facts[i] = { ...(facts[i] as NetFact & { m: number }), m: (facts[i] as { m: number }).m + 0.25 } as NetFact;
    for (let i = 0; i < 60; i += 1) facts.push(height(`p${i}`, points[i][1] + 0.002 * normal()));
    const r = solveNet({ facts });
    expect(r.facts.filter((f) => f.suspect).map((f) => f.fact)).toEqual(expect.arrayContaining(blunders));
    expect(r.facts.filter((f) => f.suspect).length).toBeLessThan(8);
    // distances between points that were not measured
    const pairs = Array.from({ length: 300 }, () => [Math.floor(random() * n), Math.floor(random() * n)]).filter(([i, j]) => i !== j);
    const off = pairs.map(([i, j]) => Math.abs(apart(at(r, `p${i}`).at, at(r, `p${j}`).at) - apart(points[i], points[j]))).sort((a, b) => a - b);
    expect(off[Math.floor(0.5 * off.length)]).toBeLessThan(0.004);
    expect(off[Math.floor(0.9 * off.length)]).toBeLessThan(0.015);
  });
});

describe('on the plan', () => {
  it('turns and moves the net onto its planned places, its ellipses with it', () => {
    const facts = [...allTies(), ...['F1', 'F2', 'F3', 'F4'].map((id) => height(id, 0))];
    const plan = new Map(names.map((n): [string, Vec3] => [n, [5 - SET[n][2], SET[n][1], 1 + SET[n][0]]]));
    const r = solveNet({ facts, near: plan });
    const laid = netOnPlan(r.points, plan);
    for (const p of laid) expect(apart(p.at, plan.get(p.id)!)).toBeLessThan(1e-4);
    laid.forEach((p, i) => {
      const [a, b] = [errorEllipse(p), errorEllipse(r.points[i])];
      expect(a.longM).toBeCloseTo(b.longM, 9);
      expect(a.shortM).toBeCloseTo(b.shortM, 9);
    });
    expect(errorEllipse({ ...laid[0], covarianceM2: [5, 0, 3, 0, 1, 0, 3, 0, 5] })).toMatchObject({ longM: Math.sqrt(8), shortM: Math.sqrt(2), turnRad: Math.PI / 4 });
    // a plan that knows one point only turns nothing
    expect(netOnPlan(r.points, new Map([['F1', [9, 9, 9]]]))).toEqual(r.points);
  });
});

describe('what would help', () => {
  it('offers the tie that tightens the net most, and it does', () => {
    const some = allTies().filter((_, i) => i % 4 !== 0);
    // in one datum for both: three points are held
    const known = ['F1', 'F2', 'F3'].map((id) => ({ id, at: SET[id], sigmaM: exact }));
    const facts = [...some, height('W2', 2.4)];
    const r = solveNet({ facts, known });
    const [best] = r.next;
    const trace = (q: NetResult) => q.points.reduce((s, p) => s + p.sigmaM.reduce<number>((v, x) => v + (x ?? 0) ** 2, 0), 0);
    const after = solveNet({ facts: [...facts, tie(best.a, best.b, apart(SET[best.a], SET[best.b]), USUAL_SIGMA.tieM)], known });
    expect(best.m).toBeCloseTo(apart(SET[best.a], SET[best.b]), 4);
    expect(100 * (1 - trace(after) / trace(r))).toBeCloseTo(best.gainPct, 0);
    expect(r.next.map((t) => t.gainPct)).toEqual([...r.next.map((t) => t.gainPct)].sort((a, b) => b - a));
  });
});

describe('explaining a length', () => {
  const doubt = (typed: string, unit: 'm' | 'cm' | 'in' | 'ft' | 'ft-in' | 'mm', m: number, computedM: number) => explainLength({ typed, unit, m, computedM, sigmaM: 0.003 });
  it('names a slip of unit, point, digits or tape', () => {
    expect(doubt('98', 'cm', 0.98, 2.4892)).toMatch(/inches were written down as centimetres/);
    expect(doubt('140', 'in', 3.556, 1.4)).toMatch(/centimetres were written down as inches/);
    expect(doubt('2.48 m', 'm', 2.48, 2.84)).toMatch(/two digits changed places: 2\.84 instead of 2\.48/);
    expect(doubt('24.8', 'm', 24.8, 2.48)).toMatch(/one place too far right/);
    expect(doubt('3.21', 'm', 3.21, 4.21)).toMatch(/one metre too little/);
    expect(doubt(`4' 7"`, 'ft-in', 1.397, 1.397 + 0.3048)).toMatch(/one foot too little/);
  });
  it('says nothing where no slip explains it, or where the net does not know well enough', () => {
    expect(doubt('2.48', 'm', 2.48, 2.557)).toBeNull();
    expect(explainLength({ typed: '2.48', unit: 'm', m: 2.48, computedM: 2.84, sigmaM: 0.2 })).toBeNull();
  });
});

describe('pieces', () => {
  it('derivatives of every kind of fact agree with differences', () => {
    const facts: NetFact[] = [
      tie('a', 'b', 1),
      height('a', 1),
      { kind: 'level', a: 'a', b: 'c', sigmaM: 1 },
      { kind: 'plumb', a: 'a', b: 'b', sigmaM: 1 },
      { kind: 'wall', id: 'a', a: 'b', b: 'c', m: 1, sigmaM: 1 },
    ];
    const rows = new NetRows();
    const index = new Map(['a', 'b', 'c'].map((id, i) => [id, i]));
    facts.forEach((f, i) => rows.addFact(f, i, index));
    // on both sides of the wall
    for (const side of [1, -1]) {
      const x = Float64Array.from([0.3, 1.2, side * 2, -1, 0.4, 0.2, 2, 0.9, -0.3]);
      const g = new Float64Array(9);
      const scratch = new Float64Array(9);
      for (let r = 0; r < rows.count; r += 1) {
        rows.evaluate(r, x, g);
        const own = g.slice();
        for (let k = 0; k < 9; k += 1) {
          const p = rows.point[3 * r + Math.floor(k / 3)];
          if (p < 0) continue;
          const moved = (by: number) => {
            const y = x.slice();
            y[3 * p + (k % 3)] += by;
            return rows.evaluate(r, y, scratch);
          };
          expect(own[k]).toBeCloseTo((moved(1e-6) - moved(-1e-6)) / 2e-6, 6);
        }
      }
    }
  });
  it('three surfaces meet in two places, one, or none', () => {
    const sphere = (centre: Vec3, radiusM: number) => ({ kind: 'sphere' as const, centre, radiusM, sigmaM: 0.002 });
    const plane = (normal: Vec3, offsetM: number) => ({ kind: 'plane' as const, normal, offsetM, sigmaM: 0.002 });
    const two = intersect([sphere([0, 0, 0], 13), sphere([6, 0, 0], 13), sphere([0, 0, 8], 13)]);
    expect(two.map((q) => q.map((v) => Math.round(v * 1e6) / 1e6)).sort((p, q) => p[1] - q[1])).toEqual([
      [3, -12, 4],
      [3, 12, 4],
    ]);
    expect(intersect([plane([1, 0, 0], 2), plane([0, 1, 0], 3), plane([0, 0, 1], 4)])).toEqual([[2, 3, 4]]);
    expect(intersect([sphere([0, 0, 0], 5), plane([0, 1, 0], 3), plane([1, 0, 0], 0)]).map((q) => Math.abs(q[2]))).toEqual([4, 4]);
    // three centres in a row cut nothing
    expect(intersect([sphere([0, 0, 0], 2), sphere([1, 0, 0], 2), sphere([2, 0, 0], 2)])).toEqual([]);
  });
  it('refuses what is no net, in words', () => {
    const bad = (facts: NetFact[], known?: NetInput['known']) => () => solveNet({ facts, known });
    expect(bad([])).toThrow(/needs ties/);
    expect(bad([tie('a', 'a', 1)])).toThrow(/names a twice/);
    expect(bad([tie('a', 'b', 0)])).toThrow(/from a to b is 0 m/);
    expect(bad([tie('a', 'b', 1, 0)])).toThrow(/sigma of fact 1/);
    expect(bad([tie('a', 'b', Number.NaN)])).toThrow(/not made of numbers/);
    expect(
      bad(
        [tie('a', 'b', 1)],
        [
          { id: 'a', at: [0, 0, 0], sigmaM: [0, 0, 0] },
          { id: 'a', at: [0, 0, 0], sigmaM: [0, 0, 0] },
        ],
      ),
    ).toThrow(/known twice/);
    const two = solveNet({ facts: [tie('a', 'b', 1)] });
    expect(two).toMatchObject({ status: 'none', points: [] });
    expect(two.warnings[0].words).toMatch(/Three points that are tied to each other/);
    expect(two.open.map((o) => o.id)).toEqual(['a', 'b']);
  });
});
