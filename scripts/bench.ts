// Times and accuracies of the core on generated data. Ratios and growth matter; absolute times are this machine's.
//   npm run bench [grid|joint|map|quick|book|solve|plan|net|sync|stills]
//   npm run bench library
//   npm run bench track
//   npm run bench photos DIR COLUMNSxROWS
import {
  analysePlate,
  findCautions,
  forecast,
  frameEffect,
  layScatter,
  NO_SETUP_FACTS,
  nextBest,
  planOfStudy,
  studySetup,
  watchWitness,
  type PlannedSetup,
  lensAt,
  nextPlate,
  openBook,
  quickLook,
  type BookPlate,
  redistortMap,
  roundTripErrorPx,
  selectModel,
  solveNet,
  solveTracks,
  type NetFact,
  undistortMap,
  type Distortion,
  type GridObservation,
  type SolveSetup,
} from '@mesure/core';
import { newPlan, usualPiece, usualPlacement } from '@mesure/contract';
import { benchStills, benchSync } from './bench-floor';
import { benchLibrary } from './bench-library';
import { benchPhotos } from './bench-photos';
import { benchTrack } from './bench-track';
import { bend, normals, renderChequer, simulateShot, uniform } from '@mesure/synthetic';

const part = process.argv[2];
const median = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1];
const timed = (times: number, work: () => void): number => {
  const all: number[] = [];
  for (let i = 0; i < times; i += 1) {
    const began = performance.now();
    work();
    all.push(performance.now() - began);
  }
  return median(all);
};

function grid(): void {
  console.log('\nGrid plates: detection, sub-pixel corners, fit (median of 3)');
  console.log('  size         cell  corners   found %   rms px   time ms   ns/pixel');
  for (const [w, h, cellPx, k1] of [
    [1024, 540, 40, -0.1],
    [2048, 1080, 40, -0.1],
    [4096, 2160, 40, -0.1],
    [4096, 2160, 80, -0.25],
    [4096, 2160, 80, 0.15],
    [4096, 2160, 14, -0.05],
  ]) {
    const f = w * 1.2;
    const plate = renderChequer({
      widthPx: w,
      heightPx: h,
      lens: { fxPx: f, fyPx: f, cx: w / 2, cy: h / 2, k1, k2: 0, k3: 0, p1: 0, p2: 0 },
      cellSlope: cellPx / f,
      blurPx: 1,
      noise: 2,
      offsetCells: [0.3, 0.2],
    });
    const data = new Float32Array(plate.gray);
    const run = () => analysePlate({ widthPx: w, heightPx: h, data }, { widthPx: w, heightPx: h, fxPx: f, fyPx: f });
    const found = run();
    const ms = timed(3, run);
    const buckets = new Map<string, { x: number; y: number }[]>();
    for (const c of plate.corners) {
      const k = `${c.x >> 3},${c.y >> 3}`;
      buckets.set(k, [...(buckets.get(k) ?? []), c]);
    }
    let squares = 0;
    for (const n of found.nodes) {
      let best = 64;
      for (let i = -1; i <= 1; i += 1)
        for (let j = -1; j <= 1; j += 1) for (const c of buckets.get(`${(n.x >> 3) + i},${(n.y >> 3) + j}`) ?? []) best = Math.min(best, (c.x - n.x) ** 2 + (c.y - n.y) ** 2);
      squares += best;
    }
    const visible = plate.corners.filter((c) => c.x > 5 && c.y > 5 && c.x < w - 5 && c.y < h - 5).length;
    console.log(
      `  ${`${w}×${h}`.padEnd(11)} ${String(cellPx).padStart(4)} ${String(visible).padStart(8)} ${((100 * found.nodes.length) / visible).toFixed(2).padStart(9)} ${Math.sqrt(
        squares / found.nodes.length,
      )
        .toFixed(4)
        .padStart(8)} ${ms.toFixed(0).padStart(9)} ${((ms * 1e6) / (w * h)).toFixed(0).padStart(10)}`,
    );
  }
}

function solve(): void {
  console.log('\nTest solves: simulated dolly, noise 0.5 px, focal length free');
  console.log('  frames  tracks  observations   rms/expected   focal error/sigma   time s   µs/observation   most memory of the process so far MB');
  for (const [frames, tracks, life] of [
    [60, 100, 0],
    [120, 100, 0],
    [240, 100, 0],
    [120, 200, 0],
    [500, 500, 120],
    [500, 500, 0],
    [2000, 400, 0],
    [500, 1400, 40],
    [2000, 5600, 150],
  ]) {
    const u = uniform(3);
    const points = Array.from({ length: tracks }, (_, i) => ({
      id: `m${i}`,
      at: (i % 3 === 0 ? [-3 + 6 * u(), 0, -5 + 4 * u()] : i % 3 === 1 ? [-3 + 6 * u(), 2.4 * u(), -5.2] : [-2 + 4 * u(), 1.5 * u(), -4 + 2 * u()]) as [number, number, number],
    }));
    const shot = simulateShot({
      widthPx: 4096,
      heightPx: 2160,
      focalMm: 18,
      sensorWidthMm: 24,
      sensorHeightMm: 12.66,
      frames,
      noisePx: 0.5,
      points,
      lifeFrames: life || undefined,
      path: (t) => [-0.9 + 1.8 * t, 1.4 + 0.2 * t, 3 - 0.3 * t],
      aim: (t) => [0.2 * t, 0.8, -3.5],
    });
    const setup: SolveSetup = { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 18 }, distortion: { mode: 'none' } };
    const began = performance.now();
    const r = solveTracks(shot.tracks, setup);
    const seconds = (performance.now() - began) / 1000;
    const n = r.points.reduce((s, p) => s + p.observations, 0);
    const expected = Math.SQRT2 * 0.5 * Math.sqrt(1 - (6 * r.frames.length + 3 * r.points.length - 6) / (2 * n));
    console.log(
      `  ${String(frames).padStart(6)} ${String(tracks).padStart(7)} ${String(n).padStart(13)} ${(r.rmsPx! / expected).toFixed(4).padStart(14)} ${((r.focalMm! - 18) / r.sigmaFocalMm!).toFixed(2).padStart(19)} ${seconds.toFixed(2).padStart(8)} ${((seconds * 1e6) / n).toFixed(0).padStart(16)} ${(process.resourceUsage().maxRSS / 1024).toFixed(0).padStart(10)}   ${r.status}`,
    );
  }
}

/** Ideal corners of tilted plates with noise. */
function tiltedPlates(plates: number, f: number, seed = 4): GridObservation[] {
  const g = normals(seed);
  const lens = { fxPx: f, fyPx: f, cx: 1024, cy: 540, k1: -0.1, k2: 0.02, k3: 0, p1: 0, p2: 0 };
  const corners: GridObservation[] = [];
  for (let plate = 0; plate < plates; plate += 1) {
    const [a, b] = [0.3 * Math.sin(2.4 * plate), 0.3 * Math.cos(2.4 * plate)];
    for (let row = -12; row <= 12; row += 1) {
      for (let col = -20; col <= 20; col += 1) {
        const [x, y] = [(col * 45) / f, (row * 45) / f];
        const z = 1 + Math.sin(a) * x + Math.sin(b) * Math.cos(a) * y;
        const [xd, yd] = bend(lens, (Math.cos(a) * x - Math.sin(a) * Math.sin(b) * y) / z, (Math.cos(b) * y) / z);
        const [px, py] = [1024 + f * xd, 540 + f * yd];
        if (px > 0 && py > 0 && px < 2048 && py < 1080) corners.push({ plate, row, col, x: px + 0.03 * g(), y: py + 0.03 * g() });
      }
    }
  }
  return corners;
}

function joint(): void {
  console.log('\nJoint fits of tilted plates, radial (median of 3)');
  console.log('  plates  corners   time ms   µs/corner   focal ratio: errors over their sigmas, RMS of 20 draws of the noise');
  const f = 2000;
  const fitted = (corners: GridObservation[]) => selectModel(corners, { widthPx: 2048, heightPx: 1080, fxPx: 0.95 * f, fyPx: 0.95 * f }, 'radial').fit;
  for (const plates of [1, 4, 14]) {
    const corners = tiltedPlates(plates, f);
    const ms = timed(3, () => fitted(corners));
    const squares = Array.from({ length: 20 }, (_, i) => fitted(tiltedPlates(plates, f, 4 + i))).flatMap((fit) => (fit.sigma.rho ? [((fit.focalRatio - 1 / 0.95) / fit.sigma.rho) ** 2] : []));
    const rms = Math.sqrt(squares.reduce((a, b) => a + b, 0) / squares.length);
    console.log(
      `  ${String(plates).padStart(6)} ${String(corners.length).padStart(8)} ${ms.toFixed(0).padStart(9)} ${((1000 * ms) / corners.length).toFixed(0).padStart(11)} ${rms.toFixed(2).padStart(12)} (${squares.length})`,
    );
  }
}

function map(): void {
  console.log('\nST maps (median of 3); there and back through both, bilinear');
  console.log('  model        size         undistort ms  ns/pixel   redistort ms  ns/pixel   round trip px');
  const lenses: Distortion[] = [
    { model: 'radial', k: [-0.1, 0.02, 0], p: [0, 0] },
    { model: 'division', lambda: -0.1 },
    { model: 'fisheye', k: [-0.02, 0.003, 0, 0] },
    { model: 'anamorphic', a: [-0.05, 0.02, 0, 0, 0], b: [0.01, -0.08, 0, 0, 0], rotation: 0.01 },
  ];
  for (const distortion of lenses) {
    for (const [w, h] of [
      [2048, 1080],
      [4096, 2160],
    ]) {
      const lens = { widthPx: w, heightPx: h, fxPx: 1.2 * w, fyPx: 1.2 * w, center: [w / 2, h / 2] as [number, number], distortion };
      const { overscan } = frameEffect(lens);
      const undistort = undistortMap(lens, overscan);
      const redistort = redistortMap(lens, overscan);
      const there = timed(3, () => undistortMap(lens, overscan));
      const back = timed(3, () => redistortMap(lens, overscan));
      const per = (ms: number, pixels: number) => ((ms * 1e6) / pixels).toFixed(0);
      console.log(
        `  ${distortion.model.padEnd(12)} ${`${w}×${h}`.padEnd(11)} ${there.toFixed(0).padStart(13)} ${per(there, undistort.widthPx * undistort.heightPx).padStart(9)} ${back.toFixed(0).padStart(14)} ${per(back, w * h).padStart(9)} ${roundTripErrorPx(undistort, redistort).toFixed(5).padStart(15)}`,
      );
    }
  }
}

function quick(): void {
  console.log('\nA quick look before a plate leaves the phone (median of 3)');
  console.log('  size         chart        time ms   ns/pixel  answer');
  for (const [w, h] of [
    [2048, 1080],
    [4096, 2160],
    [6144, 3240],
  ]) {
    const f = w * 1.2;
    const scene = { widthPx: w, heightPx: h, lens: { fxPx: f, fyPx: f, cx: w / 2, cy: h / 2, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 }, cellSlope: 60 / f, blurPx: 1.1, noise: 2 };
    for (const [name, more] of [
      ['fills frame', {}],
      ['none', { dark: 100, bright: 100 }],
    ] as const) {
      const image = { widthPx: w, heightPx: h, data: new Float32Array(renderChequer({ ...scene, ...more }).gray) };
      const ms = timed(3, () => quickLook(image));
      console.log(`  ${`${w}×${h}`.padEnd(12)} ${name.padEnd(11)} ${ms.toFixed(0).padStart(8)} ${((ms * 1e6) / (w * h)).toFixed(1).padStart(10)}  ${quickLook(image).worth}`);
    }
  }
}

function book(): void {
  console.log('\nLens book: opening (scales chosen), one setting, the next plate (median of 5)');
  console.log('  plates   open ms   setting ms   next ms');
  const setup = { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 35 } };
  for (const [focals, foci] of [
    [4, 3],
    [8, 4],
    [12, 6],
  ]) {
    const plates: BookPlate[] = [];
    for (let i = 0; i < focals; i += 1)
      for (let j = 0; j < foci; j += 1) {
        const focalMm = 24 * 3 ** (i / (focals - 1));
        const focusM = 0.7 * 20 ** (j / (foci - 1));
        const a = (-1.6e-4 * (24 / focalMm) ** 1.6 + 0.35e-4) * (1 + 0.1 / focusM);
        plates.push({
          id: `${i} ${j}`,
          focalMm,
          focusM,
          distortion: { model: 'radial', k: [a * focalMm ** 2, 0, 0], p: [0, 0] },
          fxMm: focalMm,
          fyMm: focalMm,
          centerMm: [0, 0],
          halfWidthMm: 12,
          halfHeightMm: 6.33,
          rmsPx: 0.02,
          focalRatio: null,
        });
      }
    const opened = openBook(plates, setup);
    const open = timed(5, () => openBook(plates, setup));
    const at = timed(5, () => lensAt(opened, { focalMm: 33, focusM: 2 }));
    const next = timed(5, () => nextPlate(opened, { minFocalMm: 24, maxFocalMm: 72, closeFocusM: 0.6, focusMatters: true }));
    console.log(`  ${String(plates.length).padStart(6)} ${open.toFixed(1).padStart(9)} ${at.toFixed(2).padStart(12)} ${next.toFixed(1).padStart(9)}`);
  }
}

/** A planned dolly before a wall, a floor and boxes: what follows a finger, and what a worker does after it. */
function plan(): void {
  console.log('\nPlans: following the set, cautions, forecast, what would help (median of 5)');
  console.log('  frames  marks   study ms   cautions ms witness ms   forecast ms   helps ms');
  for (const [marks, moments] of [
    [60, 20],
    [60, 60],
    [120, 60],
    [1000, 60],
  ]) {
    const wall = { ...usualPiece('wall', 'wall', 'Wall'), detail: 'some' as const };
    const boxes = Array.from({ length: 8 }, (_, i) => ({ ...usualPiece('box', `b${i}`, `Box ${i}`), xM: -2 + 0.6 * i, widthM: 0.2, depthM: 0.2, heightM: 0.6 }));
    const laid = { kind: 'cross' as const, diameterM: 0.02, taken: [] };
    const sheet = Array.from({ length: Math.ceil(marks / 400) }, (_, i) => layScatter(wall, 'front', Math.min(400, marks - 400 * i), { ...laid, letter: `M${'abc'[i]}` }, i + 1)).flat();
    const base = newPlan('', '', 24, { name: '', marks: [] });
    const setup: PlannedSetup = {
      optics: { image: { width: 4096, height: 2160 }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mm: 24 } },
      readoutMs: 10,
      fps: 24,
      shutterDeg: 180,
      stop: 8,
      iso: 800,
      pieces: [usualPiece('floor', 'floor', 'Floor'), wall, ...boxes],
      marks: sheet,
      move: base.move,
      lens: { mode: 'guided', sigmaPct: 1 },
      measures: { ...base.measures, ties: [{ a: sheet[0].id, b: sheet[40].id, sigmaM: 0.002 }] },
      noisePx: 0.5,
    };
    const study = studySetup(setup, moments);
    const witness = { optics: setup.optics, focalMm: 24, placement: usualPlacement('free', base.move.stations[0]) };
    const ms = (work: () => void) => timed(5, work).toFixed(1);
    console.log(
      `  ${String(study.moments.length).padStart(6)} ${String(marks).padStart(6)} ${ms(() => studySetup(setup, moments)).padStart(10)} ${ms(() => findCautions(study, NO_SETUP_FACTS)).padStart(13)} ${ms(() => watchWitness(study, witness)).padStart(10)} ${ms(() => forecast(planOfStudy(study))).padStart(13)} ${(marks > 200 ? '–' : ms(() => nextBest(setup))).padStart(10)}`,
    );
  }
}

/** Tape nets of a set 12 × 8 × 3.5 m with ties up to 4 m, a third of the points with heights, and three blunders. */
function net(): void {
  console.log('\nTape nets (median of 3), and how many of three blunders of 25 cm were found');
  console.log('  points   ties      ms   found  others left out   median error mm');
  for (const n of [12, 50, 100, 200]) {
    const u = uniform(39);
    const g = normals(40);
    const points = Array.from({ length: n }, () => [12 * u() - 6, u() < 0.4 ? 0 : 3.5 * u(), 8 * u() - 8] as [number, number, number]);
    const apart = (i: number, j: number) => Math.hypot(...[0, 1, 2].map((a) => points[i][a] - points[j][a]));
    const reach = n < 50 ? 20 : 4;
    const facts: NetFact[] = [];
    const there = new Set<string>();
    for (let i = 0; i < n; i += 1)
      for (let k = 0, tries = 0; k < 4 && tries < 1000; tries += 1) {
        const j = Math.floor(u() * n);
        const key = [Math.min(i, j), Math.max(i, j)].join();
        if (i === j || there.has(key) || apart(i, j) > reach) continue;
        there.add(key);
        facts.push({ kind: 'tie', a: `${i}`, b: `${j}`, m: apart(i, j) + 0.002 * g(), sigmaM: 0.002 });
        k += 1;
      }
    const ties = facts.length;
    const blunders = [0.1, 0.4, 0.8].map((share) => Math.floor(share * ties));
    for (const i of blunders) facts[i] = { ...facts[i], m: (facts[i] as { m: number }).m + 0.25 } as NetFact;
    for (let i = 0; i < n / 3; i += 1) facts.push({ kind: 'height', id: `${i}`, m: points[i][1], sigmaM: 0.002 });
    const ms = timed(3, () => solveNet({ facts }));
    const r = solveNet({ facts });
    const out = r.facts.filter((f) => f.suspect).map((f) => f.fact);
    const at = new Map(r.points.map((p) => [Number(p.id), p.at]));
    const errors = [...at].flatMap(([i, p]) => [...at].filter(([j]) => j > i).map(([j, q]) => Math.abs(Math.hypot(...[0, 1, 2].map((a) => p[a] - q[a])) - apart(i, j))));
    console.log(
      `  ${String(n).padStart(6)} ${String(ties).padStart(6)} ${ms.toFixed(0).padStart(7)} ${String(out.filter((i) => blunders.includes(i)).length).padStart(7)} ${String(out.filter((i) => !blunders.includes(i)).length).padStart(17)} ${(1000 * median(errors)).toFixed(1).padStart(17)}`,
    );
  }
}

if (!part || part === 'net') net();
if (!part || part === 'grid') grid();
if (!part || part === 'joint') joint();
if (!part || part === 'map') map();
if (!part || part === 'quick') quick();
if (!part || part === 'book') book();
if (!part || part === 'solve') solve();
if (!part || part === 'plan') plan();
if (!part || part === 'sync') benchSync(timed);
if (!part || part === 'stills') benchStills(timed);
if (part === 'track') benchTrack();
if (part === 'library') benchLibrary(timed, { corners: tiltedPlates(14, 2000), widthPx: 2048, heightPx: 1080, focalPx: 2000 });
if (part === 'photos') void benchPhotos(process.argv[3], process.argv[4]);
