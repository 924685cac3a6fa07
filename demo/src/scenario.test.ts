import { lineUpQuestion, mountPackage, netInputOf, opticsOf, recceInputOf, type RecordBodies, type RecordKind, type StoredRecord } from '@mesure/contract';
import { BODY_SCHEMAS, check } from '@mesure/contract/schemas';
import { checkLineUp, computeOptics, fitEdges, measurePhoto, solveNet } from '@mesure/core';
import type { Schema } from 'joi';
import { CRANE_M, KIND_TRACKS, WHIP, whip } from './kinds-of-takes';
import { OTHER_PRODUCTION, PEOPLE, PRODUCTION, scenario } from './scenario';
import { galleyDolly, jettyCrane, passagePan, tracksCsv, TRUE_LENSES } from './shots';

const sha = (digit: string) => digit.repeat(64);
const seeds = scenario({
  tracksGalley: sha('a'),
  tracksJetty: sha('b'),
  tracksPassage: sha('c'),
  plate32: sha('d'),
  plate25: sha('e'),
  zoom: ['1', '2', '3', '4', '5'].map(sha),
  room: sha('6'),
  lineUp: sha('e'),
  lineUpCrane: sha('e'),
  moveJetty: sha('f'),
  lens18: sha('5'),
  recce: sha('7'),
  recceDetail: { corners: 300, spread: 1 },
  stills: [],
  boat: [],
  panorama: [],
  slate: sha('8'),
  clipStove: sha('9'),
  tracksStove: sha('0'),
  kinds: { whip: sha('a'), zoom: sha('b'), boat: sha('c'), carried: sha('d'), witness: sha('e'), crane: sha('f'), anamorphic: sha('0'), looking: sha('1') },
});
const of = <K extends RecordKind>(kind: K) => seeds.filter((s) => s.kind === kind) as unknown as { id: string; body: RecordBodies[K] }[];
const find = ((kind: RecordKind, id: string) => {
  const s = seeds.find((q) => q.kind === kind && q.id === id);
  return s ? ({ ...s, version: 1, deleted: false } as unknown as StoredRecord) : undefined;
}) as never;

test('every record of the demo day is one that the server takes, under an id of its own', () => {
  for (const s of seeds) expect([s.kind, check(BODY_SCHEMAS[s.kind] as Schema, s.body).problems]).toEqual([s.kind, null]);
  expect(new Set(seeds.map((s) => s.id)).size).toBe(seeds.length);
});

test('the day has three setups, eight takes, and every package is complete', () => {
  expect(of('setup').length).toBeGreaterThanOrEqual(3);
  expect(of('take').length).toBeGreaterThanOrEqual(8);
  for (const p of of('package')) {
    const mounted = mountPackage(p.body, find);
    expect(mounted).not.toHaveProperty('missing');
  }
});

test('one mistake is planted: the reducer lies in the kit and is on no package, and the A-cam shot was made with it', () => {
  const reducer = of('adapter').find((a) => Math.abs(a.body.factor - 0.71) < 1e-9)!;
  expect(of('package').every((p) => p.body.adapterId !== reducer.id)).toBe(true);
  // the tracks really come from 0.71 · 32 mm: the recorded package sees 41.1° wide, the shot 55.7°
  const recorded = computeOptics({ image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 32 } });
  expect(recorded.fovHorizontalDeg).toBeCloseTo(41.1, 1);
  expect(galleyDolly().shot.tracks.length).toBeGreaterThan(1000);
});

test('the edges marked on the wall show the lens that bent them', () => {
  const [e] = of('edges');
  const pack = of('package').find((p) => p.id === e.body.packageId)!;
  const mounted = mountPackage(pack.body, find);
  if ('missing' in mounted) throw new Error('incomplete');
  const setup = { ...opticsOf(mounted, e.body.focalMm), image: { width: e.body.widthPx, height: e.body.heightPx } };
  const report = fitEdges(
    e.body.marks.map((m) => ({ edge: String(m.edge), x: m.x, y: m.y })),
    setup,
  );
  expect(report.status).toBe('usable');
  const k1 = (report.distortion as unknown as { k: number[] }).k[0];
  expect(Math.abs(k1 + 0.06)).toBeLessThan(0.02);
});

test('the photo of the passage and its three lengths say where it was taken from', () => {
  const [r] = of('recce');
  const m = measurePhoto(recceInputOf(r.body));
  expect(m.status).toBe('usable');
  // the picture is drawn from 1.56 m, 11° down
  expect(Math.abs(m.heightM - 1.56)).toBeLessThan(3 * m.sigmaHeightM);
  expect(Math.abs((m.tiltRad * 180) / Math.PI + 11)).toBeLessThan(1);
});

test('the tape net of the passage holds but for the tie that was written in the wrong unit, and a mark that has too few', () => {
  const set = of('set').find((q) => q.body.name === of('set')[2].body.name)!;
  const mine = of('tie').filter((t) => t.body.setId === set.id);
  const r = solveNet(
    netInputOf(
      set.body,
      mine.map((t) => t.body),
      of('fact').flatMap((f) => (f.body.setId === set.id ? [f.body] : [])),
    ),
  );
  expect(r.facts.filter((f) => f.suspect).map((f) => `${mine[f.fact].body.from}-${mine[f.fact].body.to}`)).toEqual(['L2-L6']);
  expect(r.open.map((o) => o.id)).toEqual(['L8']);
  expect(r.mirror).toMatchObject({ status: 'settled', words: 'the plan tells left from right' });
});

test('the test day has a take of each kind, and a second mistake: the height of the crane has its digits changed about', () => {
  const takes = of('take').filter((t) => t.body.slate.startsWith('36'));
  expect(takes.map((t) => t.body.slate)).toEqual(['36A', '36B', '36C', '36D', '36F', '36G', '36E']);
  expect(takes.every((t) => t.body.tracks)).toBe(true);
  const height = takes.find((t) => t.body.slate === '36E')!.body.height!;
  expect([height.valueM, CRANE_M.truly]).toEqual([1.24, 1.42]);
  // the whip: nothing is followed in its middle, and only marks have their names on both sides
  const [before, after] = [(f: number) => f < WHIP.blurredFrom, (f: number) => f > WHIP.blurredTo].map((side) => new Set(whip().flatMap((t) => (side(t.frame) ? [t.track] : []))));
  const both = [...before].filter((name) => after.has(name));
  expect(both.length).toBeGreaterThanOrEqual(3);
  expect(both.length).toBeLessThan(8);
  expect(both.every((name) => /^[KW]\d$/.test(name))).toBe(true);
});

test('one picture of the crane and the lengths of its floor, of which no net comes, say its true height too', () => {
  const picture = of('lineup').find((q) => q.body.picture.name.startsWith('36E'))!.body;
  const take = of('take').find((t) => t.id === picture.takeId)!.body;
  const setup = of('setup').find((q) => q.id === take.setupId)!.body;
  const measured = netInputOf(
    of('set').find((q) => q.id === setup.setId)!.body,
    of('tie').flatMap((q) => (q.body.setId === setup.setId ? [q.body] : [])),
    of('fact').flatMap((q) => (q.body.setId === setup.setId ? [q.body] : [])),
  );
  const mounted = mountPackage(of('package').find((p) => p.id === take.packageId)!.body, find);
  if ('missing' in mounted) throw new Error('the package is not complete');
  // as its plate measures it
  const { effectiveMm, k } = TRUE_LENSES.orrinel25;
  const distortion = { model: 'radial', k, p: [0, 0], focalMm: effectiveMm, center: [mounted.mode.widthPx / 2, mounted.mode.heightPx / 2], aspect: 1 };
  const plates = [{ plate: { focalMm: 25 } as never, report: { status: 'usable', distortion } as never }];
  const asked = lineUpQuestion({ picture, take, setup, mounted, net: { input: measured, result: solveNet(measured) }, measured, plates });
  if ('problem' in asked) throw new Error(asked.problem);
  const { lineUp, report } = checkLineUp(asked.question);
  expect(lineUp.frame).toBe('floor');
  expect(Math.abs(lineUp.position![1] - CRANE_M.truly)).toBeLessThan(3 * lineUp.sigmaPositionM![1]);
  expect(lineUp.sigmaPositionM![1]).toBeLessThan(0.03);
  const height = report!.items.find((i) => i.quantity === 'cameraHeight')!;
  expect(height.verdict).toBe('contradicts');
  expect(height.causes.map((c) => c.title).join()).toMatch(/digits/i);
});

test('people of two productions, each name once', () => {
  expect(new Set(PEOPLE.map((p) => p.name)).size).toBe(PEOPLE.length);
  // one of each role
  expect(PEOPLE.filter((p) => p.productionId === PRODUCTION.id).map((p) => p.role)).toEqual(['owner', 'wrangler', 'supervisor', 'solver', 'guest']);
  expect(PEOPLE.some((p) => p.productionId === OTHER_PRODUCTION.id)).toBe(true);
});

test('the shots are the same each time they are made, and no place lies outside its picture', () => {
  const kinds = Object.values(KIND_TRACKS).map(({ make }) => () => ({ tracks: make() }));
  for (const make of [() => galleyDolly().shot, () => jettyCrane().shot, () => passagePan().shot, ...kinds]) {
    const csv = tracksCsv(make());
    expect(csv).toBe(tracksCsv(make()));
    const rows = csv.trim().split('\n');
    expect(rows[0]).toBe('track,frame,x,y');
    expect(
      rows.slice(1).filter((row) => {
        const [, , x, y] = row.split(',').map(Number);
        return !(x > 0 && y > 0 && x < 4096 && y < 3200);
      }),
    ).toEqual([]);
  }
});

test('in the passage one tie more determines the open mark, and a mark that is tied to the wall alone is asked about and put where the answer says', () => {
  const set = seeds.find((s) => s.kind === 'set' && (s.body as RecordBodies['set']).name === 'Lower passage')!;
  const of = <K extends 'tie' | 'fact'>(kind: K) => seeds.flatMap((s) => (s.kind === kind && (s.body as RecordBodies['tie']).setId === set.id ? [s.body as RecordBodies[K]] : []));
  const base = netInputOf(set.body as RecordBodies['set'], of('tie'), of('fact'));
  const tie = (a: string, b: string, m: number) => ({ kind: 'tie' as const, a, b, m, sigmaM: 0.003 });
  const solved = (ties: ReturnType<typeof tie>[], change: Partial<typeof base> = {}) =>
    solveNet({ ...base, ...change, facts: [...base.facts.slice(0, of('tie').length), ...ties, ...base.facts.slice(of('tie').length)] });
  const first = solved([]);
  expect([first.points.length, first.open.map((o) => o.id)]).toEqual([7, ['L8']]);
  const more = [tie('L3', 'L8', 2.166)];
  expect(solved(more).open).toEqual([]);
  more.push(tie('N1', 'L6', 2.377), tie('N1', 'L7', 1.658), tie('N1', 'L8', 2.049));
  const asked = solved(more);
  expect([asked.open, asked.twins.map((t) => t.ids)]).toEqual([[], [['N1']]]);
  const { ask } = asked.twins[0];
  const at = (['left', 'right'] as const).map((answer) => {
    const r = solved(more, { sides: [{ ...ask!, answer }] });
    expect([r.open, r.twins]).toEqual([[], []]);
    return r.points.find((p) => p.id === 'N1')!.at;
  });
  expect(Math.hypot(...at[0].map((v, k) => v - at[1][k]))).toBeGreaterThan(0.5);
});
