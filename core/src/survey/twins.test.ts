import type { Vec3 } from '../math';
import type { NetFact } from '../facts';
import { solveNet, type NetInput, type SideSaid } from './index';
import { wordsOf } from '../warnings';

// marks of this file's own: a floor, a wall at z = −5, a truss 4 m up
const AT: Record<string, Vec3> = {
  F1: [0, 0, 0],
  F2: [4, 0, 0.4],
  F3: [1.2, 0, -3],
  F4: [5, 0, -3.4],
  W1: [0.5, 0.6, -5],
  W2: [4.4, 0.9, -5],
  W3: [2.2, 2.6, -5],
  T1: [0, 4, -1],
  T2: [4, 4, -0.6],
  T3: [2, 4, -4],
};
const lengthOf = (a: string, b: string, at: Record<string, Vec3> = AT) => Math.hypot(...[0, 1, 2].map((i) => at[a][i] - at[b][i]));
const tie = (a: string, b: string, at: Record<string, Vec3> = AT): NetFact => ({ kind: 'tie', a, b, m: lengthOf(a, b, at), sigmaM: 0.0025 });
const height = (id: string, at: Record<string, Vec3> = AT): NetFact => ({ kind: 'height', id, m: at[id][1], sigmaM: 0.0025 });
const pairs = (ids: readonly string[]) => ids.flatMap((a, i) => ids.slice(i + 1).map((b) => tie(a, b)));
/** The set itself, braced all round, its left and right said. */
const SET: NetFact[] = [...pairs(Object.keys(AT)), ...Object.keys(AT).map((id) => height(id))];
const turn = { a: 'F1', b: 'F2', c: 'F4', left: true };
const solve = (facts: readonly NetFact[], more: Partial<NetInput> = {}) => solveNet({ facts: [...SET, ...facts], turn, ...more });
/** Distance over the set's marks of a point from where it was put, turned to this file's frame by lengths alone. */
const misses = (r: ReturnType<typeof solve>, id: string, at: Vec3) => {
  const p = r.points.find((q) => q.id === id)!.at;
  return Math.max(...Object.keys(AT).map((m) => Math.abs(Math.hypot(...[0, 1, 2].map((i) => p[i] - r.points.find((q) => q.id === m)!.at[i])) - Math.hypot(...[0, 1, 2].map((i) => at[i] - AT[m][i])))));
};

describe('a point that fits on two sides of what it is tied to', () => {
  const P: Vec3 = [2.4, 1.5, -3.2];
  const with_ = { ...AT, P };
  const toWall = ['W1', 'W2', 'W3'].map((w) => tie('P', w, with_));
  const behind: Vec3 = [2.4, 1.5, -6.8];

  test('is asked in words, and put where the answer says', () => {
    const r = solve(toWall);
    expect(r.twins).toHaveLength(1);
    const [{ ids, now, words }] = r.twins;
    const ask = r.twins[0].ask!;
    expect(ids).toEqual(['P']);
    expect(ask.id).toBe('P');
    expect(words).toMatch(/P would fit on the other side .* turns (left|right), as seen from above/);
    expect(wordsOf(r.warnings)).toContain(words);
    // from W1 over P to W2 the way turns left where P stands before the wall: seen from above +Z is towards the reader
    const before: SideSaid['answer'] = ask.a === 'W1' || ask.c === 'W2' ? 'left' : 'right';
    const other: SideSaid['answer'] = before === 'left' ? 'right' : 'left';
    expect([before, other]).toContain(now);
    const said = solve(toWall, { sides: [{ ...ask, answer: before }] });
    expect(said.twins).toEqual([]);
    expect(misses(said, 'P', P)).toBeLessThan(0.002);
    const denied = solve(toWall, { sides: [{ ...ask, answer: other }] });
    expect(denied.twins).toEqual([]);
    expect(misses(denied, 'P', behind)).toBeLessThan(0.002);
  });

  test('a length across settles it without a question', () => {
    const r = solve([...toWall, tie('P', 'F1', with_)]);
    expect(r.twins).toEqual([]);
    expect(misses(r, 'P', P)).toBeLessThan(0.002);
  });

  test('the floor settles it: nothing stands under it', () => {
    const r = solve(['F1', 'F2', 'F3', 'F4'].map((f) => tie('P', f, with_)));
    expect(r.twins).toEqual([]);
    expect(misses(r, 'P', P)).toBeLessThan(0.002);
  });

  test.each([
    ['before', P],
    ['behind', behind],
  ])('the plan settles it where it knows about where: %s the wall', (_, at) => {
    const near = new Map<string, Vec3>([...Object.entries(AT), ['P', [at[0] + 0.3, at[1], at[2] - 0.2]]]);
    const r = solve(toWall, { near });
    expect(r.twins).toEqual([]);
    expect(misses(r, 'P', at)).toBeLessThan(0.002);
  });

  test('under or over a truss is asked as such', () => {
    const r = solve(['T1', 'T2', 'T3'].map((t) => tie('P', t, with_)));
    expect(r.twins).toHaveLength(1);
    const { words } = r.twins[0];
    const ask = r.twins[0].ask!;
    expect(ask.c).toBeNull();
    expect(words).toMatch(/Here P stands (above|below) T\d: is that so/);
    expect(
      misses(
        solve(
          ['T1', 'T2', 'T3'].map((t) => tie('P', t, with_)),
          { sides: [{ ...ask, answer: 'below' }] },
        ),
        'P',
        P,
      ),
    ).toBeLessThan(0.002);
    expect(
      misses(
        solve(
          ['T1', 'T2', 'T3'].map((t) => tie('P', t, with_)),
          { sides: [{ ...ask, answer: 'above' }] },
        ),
        'P',
        [P[0], 8 - P[1], P[2]],
      ),
    ).toBeLessThan(0.002);
  });

  test('two lengths and a height leave two sides too', () => {
    const facts = [tie('P', 'F1', with_), tie('P', 'F2', with_), height('P', with_)];
    const r = solve(facts);
    expect(r.twins.map((t) => t.ids)).toEqual([['P']]);
    const ask = r.twins[0].ask!;
    const answers: SideSaid['answer'][] = ['left', 'right'];
    const at = answers.map((answer) => misses(solve(facts, { sides: [{ ...ask, answer }] }), 'P', P));
    expect(Math.min(...at)).toBeLessThan(0.002);
    expect(Math.max(...at)).toBeGreaterThan(0.5);
  });

  test('points that turn over together are asked once', () => {
    const both = { ...with_, Q: [3.4, 0.8, -2.8] as Vec3 };
    const facts = [...toWall, ...['W1', 'W2', 'W3'].map((w) => tie('Q', w, both)), tie('P', 'Q', both)];
    const r = solve(facts);
    expect(r.twins).toHaveLength(1);
    expect([...r.twins[0].ids].sort()).toEqual(['P', 'Q']);
    const other = r.twins[0].now === 'left' ? 'right' : 'left';
    const answers = [r.twins[0].now!, other] as const;
    const results = answers.map((answer) => solve(facts, { sides: [{ ...r.twins[0].ask!, answer }] }));
    for (const s of results) expect(s.twins).toEqual([]);
    const off = results.map((s) => Math.max(misses(s, 'P', P), misses(s, 'Q', both.Q)));
    expect(Math.min(...off)).toBeLessThan(0.002);
    expect(Math.max(...off)).toBeGreaterThan(0.5);
  });

  test('a net that is braced all round asks nothing; one that is a wall and a point asks for its left and right once', () => {
    expect(solve([]).twins).toEqual([]);
    const wall = solveNet({ facts: [...pairs(['W1', 'W2', 'W3']), ...['W1', 'W2', 'W3'].map((id) => height(id)), ...toWall] });
    expect(wall.mirror.status).toBe('open');
    expect(wall.twins).toEqual([]);
  });
});
