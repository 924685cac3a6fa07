import { NodeIO } from '@gltf-transform/core';
import type { LensDescription, SolveResult, SolveSetup } from '@mesure/core';
import Papa from 'papaparse';
import { fileName, filesOfSolve, SHOT_FILES, type Shot, type ShotFacts } from '.';

const validator = require('gltf-validator') as { validateBytes(bytes: Uint8Array): Promise<{ issues: { numErrors: number; messages: unknown[] } }> };

/*
 * Each file is read by what its standard says and by nothing of ours, a point is projected with it, and the place is compared with the truth,
 * which is projected here by hand.
 */
type V3 = readonly [number, number, number];
type V4 = readonly [number, number, number, number];
const turn = (q: V4, v: V3): V3 => {
  const [x, y, z, w] = q;
  const t = [2 * (y * v[2] - z * v[1]), 2 * (z * v[0] - x * v[2]), 2 * (x * v[1] - y * v[0])];
  return [v[0] + w * t[0] + y * t[2] - z * t[1], v[1] + w * t[1] + z * t[0] - x * t[2], v[2] + w * t[2] + x * t[1] - y * t[0]];
};
const unturn = (q: V4, v: V3): V3 => turn([-q[0], -q[1], -q[2], q[3]], v);
/** right and up over depth, of a camera that looks along −Z */
const slopes = (position: V3, rotation: V4, p: V3): [number, number] => {
  const c = unturn(rotation, [p[0] - position[0], p[1] - position[1], p[2] - position[2]]);
  return [c[0] / -c[2], c[1] / -c[2]];
};
const unit = (q: V4): V4 => {
  const n = Math.hypot(...q);
  return [q[0] / n, q[1] / n, q[2] / n, q[3] / n];
};

const W = 4096,
  H = 2160,
  SENSOR = { widthMm: 24, heightMm: 12.66 };
const FRAMES: { frame: number; position: V3; rotation: V4 }[] = [
  { frame: 1001, position: [0.1, 1.4, 0.3], rotation: unit([0.02, -0.1, 0.015, 1]) },
  { frame: 1002, position: [0.2, 1.42, 0.28], rotation: unit([0.025, -0.11, 0.02, 1]) },
  { frame: 1004, position: [0.4, 1.46, 0.2], rotation: unit([-0.03, 0.13, -0.01, -1]) },
];
const POINTS: V3[] = [
  [1.9, 0.6, -2.6],
  [-1.2, 2.1, -3.2],
  [0.6, 1.5, -2.2],
  [1.4, 2.3, -3.4],
];
const COVARIANCE = [4e-6, 1e-6, -2e-6, 9e-6, 5e-7, 6.4e-5] as const;

const CASES = {
  radial: {
    setup: { distortion: { mode: 'held', model: 'radial', k: [-0.11, 0.03, -0.004], p: [0.0012, -0.0008], center: [W / 2 + 20, H / 2 - 18] }, squeeze: 1 },
    // solved as another focal length than the one that the coefficients were normalised with
    solvedMm: 26.1,
    distort: (x: number, y: number): [number, number] => {
      const r2 = x * x + y * y;
      const s = 1 - 0.11 * r2 + 0.03 * r2 * r2 - 0.004 * r2 ** 3;
      return [x * s + 2 * 0.0012 * x * y - 0.0008 * (r2 + 2 * x * x), y * s + 0.0012 * (r2 + 2 * y * y) - 2 * 0.0008 * x * y];
    },
  },
  anamorphic: {
    setup: {
      distortion: { mode: 'held', model: 'anamorphic', a: [-0.05, 0.02, 0.004, 0, 0], b: [0.01, -0.08, 0, 0.002, 0], rotation: 0.02, aspect: 1.01, center: [W / 2 - 12, H / 2 + 9] },
      squeeze: 2,
    },
    solvedMm: 24.6,
    distort: (x: number, y: number): [number, number] => {
      const [c, n] = [Math.cos(0.02), Math.sin(0.02)];
      const [u, v] = [x * c + y * n, y * c - x * n];
      const ud = u * (1 - 0.05 * u * u + 0.02 * v * v + 0.004 * u ** 4);
      const vd = v * (1 + 0.01 * u * u - 0.08 * v * v + 0.002 * u * u * v * v);
      return [ud * c - vd * n, ud * n + vd * c];
    },
  },
  none: { setup: { distortion: { mode: 'none' }, squeeze: 1 }, solvedMm: 25, distort: (x: number, y: number): [number, number] => [x, y] },
} as const;

function make(name: keyof typeof CASES, change: Partial<SolveResult> = {}) {
  const { setup: more, solvedMm, distort } = CASES[name];
  const setup = { image: { width: W, height: H }, sensor: SENSOR, fps: 24, focal: { mode: 'free', mm: 25 }, motion: 'free', ...more } as unknown as SolveSetup;
  const solve = {
    status: 'solved',
    focalMm: solvedMm,
    sigmaFocalMm: 0.03,
    frames: FRAMES.map((f) => ({ ...f, focalMm: solvedMm, rmsPx: 0.3, tracks: 20, sigmaPositionM: 0.005, covarianceM2: COVARIANCE })),
    points: POINTS.map((position, i) => ({ track: `K${i}`, position, sigmaM: 0.0051, covarianceM2: COVARIANCE, rmsPx: 0.2, observations: 3 })),
    anchoring: { scale: 1.2, sigmaScalePct: 0.1, datum: [], residuals: [] },
    ...change,
  } as unknown as SolveResult;
  const shot: Shot = { name: '41A take 2', solve, setup, fps: 24, timecodeIn: '10:00:00:00', body: 'Tarvik H2', lens: 'Orrinel 25', lensSerial: '117', focusM: 2.5 };
  // the truth, by hand
  const d = more.distortion as { center?: readonly [number, number]; aspect?: number };
  const [cx, cy] = d.center ?? [W / 2, H / 2];
  const squeeze = more.squeeze;
  const pxPerMm = [(W / SENSOR.widthMm / squeeze) * (d.aspect ?? 1), H / SENSOR.heightMm];
  const undistorted = (f: number, p: V3): [number, number] => {
    const [x, y] = slopes(FRAMES[f].position, FRAMES[f].rotation, p);
    return [cx + x * solvedMm * pxPerMm[0], cy - y * solvedMm * pxPerMm[1]];
  };
  const recorded = (f: number, p: V3): [number, number] => {
    const [u, v] = undistorted(f, p);
    const normaliserMm = solve.distortion?.follows ? solvedMm : 25;
    const [nx, ny] = [normaliserMm * pxPerMm[0], normaliserMm * pxPerMm[1]];
    const [xd, yd] = distort((u - cx) / nx, (v - cy) / ny);
    return [cx + xd * nx, cy + yd * ny];
  };
  return { shot, undistorted, recorded, center: [cx, cy] as const };
}

/** Runs the formula as it stands in the file. */
function byFormula(lens: LensDescription, [px, py]: readonly [number, number]): [number, number] {
  expect(lens.direction).toBe('undistorted to distorted');
  const body = lens.formula.map((l) => `const ${l.replace(/\^/g, '**').replace(/\b(sqrt|atan|cos|sin)\(/g, 'Math.$1(')};`).join('\n');
  const run = new Function('x', 'y', ...Object.keys(lens.coefficients), `${body}\nreturn [xd, yd];`) as (...n: number[]) => [number, number];
  const [xd, yd] = run((px - lens.centerPx[0]) / lens.normalisedByPx[0], (py - lens.centerPx[1]) / lens.normalisedByPx[1], ...Object.values(lens.coefficients));
  return [lens.centerPx[0] + xd * lens.normalisedByPx[0], lens.centerPx[1] + yd * lens.normalisedByPx[1]];
}
const near = (a: readonly number[], b: readonly number[], within: number) => a.forEach((v, i) => expect(Math.abs(v - b[i])).toBeLessThan(within));
const written = async (format: string, shot: Shot) => SHOT_FILES.find((f) => f.format === format)!.write(shot);

describe.each(Object.keys(CASES) as (keyof typeof CASES)[])('%s', (name) => {
  const { shot, undistorted, recorded } = make(name);

  test('GLB: projected by the file alone, a point lands where the camera saw it', async () => {
    const bytes = (await written('gltf', shot)) as Uint8Array;
    expect((await validator.validateBytes(bytes)).issues.messages).toEqual([]);
    const root = (await new NodeIO().readBinary(bytes)).getRoot();
    const camera = root.listCameras()[0];
    const picture = (camera.getExtras() as { picture: { widthPx: number; heightPx: number; cornerPx: [number, number] } }).picture;
    const facts = (root.getExtras() as unknown as { shot: ShotFacts }).shot;
    const [translation, rotation] = root.listAnimations()[0].listSamplers();
    const node = root.listNodes().find((n) => n.getCamera())!;
    const { firstFrame, fps } = node.getExtras() as { firstFrame: number; fps: number };
    // q and −q are one rotation: neighbours stay on one side, so that a reader's interpolation takes the short way
    const q = rotation.getOutput()!.getArray()!;
    expect(q[4] * q[8] + q[5] * q[9] + q[6] * q[10] + q[7] * q[11]).toBeGreaterThan(0.9);
    const up = Math.tan(camera.getYFov() / 2),
      across = up * camera.getAspectRatio()!;
    const points = root.listMeshes()[0].listPrimitives()[0].getAttribute('POSITION')!.getArray()!;
    Array.from(translation.getInput()!.getArray()! as Float32Array).forEach((seconds, f) => {
      expect(Math.round(firstFrame + seconds * fps)).toBe(FRAMES[f].frame);
      const t = translation
        .getOutput()!
        .getArray()!
        .slice(3 * f, 3 * f + 3) as unknown as V3;
      const r = rotation
        .getOutput()!
        .getArray()!
        .slice(4 * f, 4 * f + 4) as unknown as V4;
      POINTS.forEach((p, i) => {
        const [x, y] = slopes(t, r, [points[3 * i], points[3 * i + 1], points[3 * i + 2]]);
        // the format's camera looks through the middle of its picture
        const seen: [number, number] = [(picture.widthPx / 2) * (1 + x / across) + picture.cornerPx[0], (picture.heightPx / 2) * (1 - y / up) + picture.cornerPx[1]];
        // from the undistorted picture's own pixels to those of the recorded one
        const there: [number, number] = [seen[0] - facts.undistorted.recordedCornerPx[0], seen[1] - facts.undistorted.recordedCornerPx[1]];
        near(there, undistorted(f, p), 0.01);
        near(facts.distortion === 'none' ? there : byFormula(facts.distortion, there), recorded(f, p), 0.01);
      });
    });
    expect(facts).toMatchObject({
      unit: 'm',
      frames: { first: 1001, last: 1004, fps: 24 },
      clip: { timecodeOfFirstFrame: '10:00:00:00' },
      picture: { widthPx: W, heightPx: H },
      sensor: SENSOR,
      kit: { lensSerial: '117' },
    });
    const extras = root.listMeshes()[0].getExtras() as { covariance: number[][] };
    expect(extras.covariance[1]).toEqual([...COVARIANCE]);
  });

  test('USD: apertures, offsets and time samples put the point onto the undistorted picture', async () => {
    const text = (await written('usda', shot)) as string;
    const one = (key: string) => Number(new RegExp(`\\b${key} = ([-\\d.e]+)`).exec(text)![1]);
    const samples = (key: string) =>
      new Map([...new RegExp(`${key}\\.timeSamples = \\{([^}]*)\\}`).exec(text)![1].matchAll(/(\d+): \(([^)]*)\)/g)].map((m) => [Number(m[1]), m[2].split(',').map(Number)]));
    const size = /undistortedPictureSize = \((\d+), (\d+)\)/.exec(text)!.slice(1).map(Number);
    const corner = /recordedPictureCorner = \((\d+), (\d+)\)/.exec(text)!.slice(1).map(Number);
    expect([one('metersPerUnit'), one('startTimeCode'), one('endTimeCode'), one('timeCodesPerSecond')]).toEqual([1, 1001, 1004, 24]);
    expect(text).toMatch(/^#usda 1\.0\n/);
    // tenths of a scene unit, which is a metre: 100 mm
    expect(one('focalLength') * 100).toBeCloseTo(shot.solve.focalMm!, 9);
    const [places, turns] = [samples('xformOp:translate'), samples('xformOp:orient')];
    FRAMES.forEach(({ frame }, f) => {
      const [w, x, y, z] = turns.get(frame)!;
      POINTS.forEach((p) => {
        const [sx, sy] = slopes(places.get(frame) as unknown as V3, [x, y, z, w], p);
        const px = size[0] * (0.5 + (sx * one('focalLength') - one('horizontalApertureOffset')) / one('horizontalAperture'));
        const py = size[1] * (0.5 - (sy * one('focalLength') - one('verticalApertureOffset')) / one('verticalAperture'));
        near([px - corner[0], py - corner[1]], undistorted(f, p), 0.001);
      });
    });
    expect(/point3f\[\] points = \[([^\]]*)\]/.exec(text)![1].match(/\(/g)).toHaveLength(POINTS.length);
  });

  test('CSV: one row is enough to project with', async () => {
    const rows = Papa.parse<Record<string, string>>((await written('csv', shot)) as string, { header: true, skipEmptyLines: true }).data;
    rows.forEach((row, f) => {
      const n = (key: string) => Number(row[key]);
      expect(n('frame')).toBe(FRAMES[f].frame);
      POINTS.forEach((p) => {
        const [x, y] = slopes([n('x'), n('y'), n('z')], [n('qx'), n('qy'), n('qz'), n('qw')], p);
        near([n('cx_px') + x * n('fx_px'), n('cy_px') - y * n('fy_px')], undistorted(f, p), 1e-6);
      });
      expect([n('width_px'), n('height_px'), n('sensor_width_mm'), n('fps'), row.unit, row.clip_timecode_in]).toEqual([W, H, 24, 24, 'm', '10:00:00:00']);
      expect(n('sigma_z')).toBeCloseTo(Math.sqrt(COVARIANCE[5]), 9);
      if (name === 'radial') expect([n('k1'), n('p2'), n('normalised_fy_px')]).toEqual([-0.11, -0.0008, expect.closeTo((25 * H) / SENSOR.heightMm, 6)]);
    });
  });

  test('tracking metadata: pan, tilt and roll rebuild the camera; its distortion is over its own focal length', async () => {
    const lines = ((await written('tracking-json', shot)) as string).trim().split('\n');
    expect(lines).toHaveLength(FRAMES.length);
    const samples = lines.map((l) => JSON.parse(l));
    const { camera } = samples[0].static;
    samples.forEach((s, f) => {
      expect(s.mesure.frame).toBe(FRAMES[f].frame);
      const { translation: t, rotation: r } = s.transforms[0];
      const [pan, tilt, roll] = [r.pan, r.tilt, r.roll].map((deg: number) => (deg * Math.PI) / 180);
      // turns of axes that stay with the camera: about Z, then X, then Y; Z up, the view along +Y
      const rotated = (v: V3): V3 => {
        const y: V3 = [v[0] * Math.cos(roll) + v[2] * Math.sin(roll), v[1], -v[0] * Math.sin(roll) + v[2] * Math.cos(roll)];
        const x: V3 = [y[0], y[1] * Math.cos(tilt) - y[2] * Math.sin(tilt), y[1] * Math.sin(tilt) + y[2] * Math.cos(tilt)];
        return [x[0] * Math.cos(pan) - x[1] * Math.sin(pan), x[0] * Math.sin(pan) + x[1] * Math.cos(pan), x[2]];
      };
      const axes = [rotated([1, 0, 0]), rotated([0, 1, 0]), rotated([0, 0, 1])];
      POINTS.forEach((p) => {
        // Y up becomes Z up
        const to: V3 = [p[0] - t.x, -p[2] - t.y, p[1] - t.z];
        const [right, ahead, up] = axes.map((a) => a[0] * to[0] + a[1] * to[1] + a[2] * to[2]);
        const pxPerMm = [W / camera.activeSensorPhysicalDimensions.width, H / camera.activeSensorPhysicalDimensions.height];
        const squeeze = camera.anamorphicSqueeze.num / camera.anamorphicSqueeze.denom;
        const focal = s.lens.pinholeFocalLength;
        const [ox, oy] = [s.lens.projectionOffset.x * pxPerMm[0], s.lens.projectionOffset.y * pxPerMm[1]];
        const [x, y] = [right / ahead, -up / ahead];
        // the schema knows no pixel aspect that a plate found beside the squeeze
        const aspect = name === 'anamorphic' ? 1.01 : 1;
        near([W / 2 + ox + (x * focal * pxPerMm[0] * aspect) / squeeze, H / 2 + oy + y * focal * pxPerMm[1]], undistorted(f, p), 1e-3);
        if (name !== 'radial') return;
        const { model, radial: k, tangential: q } = s.lens.distortion[0];
        expect(model).toBe('Brown-Conrady U-D');
        const r2 = x * x + y * y;
        const bend = 1 + k.reduce((sum: number, c: number, i: number) => sum + c * r2 ** (i + 1), 0);
        const xd = x * bend + 2 * q[0] * x * y + q[1] * (r2 + 2 * x * x);
        const yd = y * bend + q[0] * (r2 + 2 * y * y) + 2 * q[1] * x * y;
        near([W / 2 + ox + xd * focal * pxPerMm[0], H / 2 + oy + yd * focal * pxPerMm[1]], recorded(f, p), 1e-3);
      });
    });
  });
});

test('a distortion that followed the solved focal length leaves normalised by that one', async () => {
  const { shot, recorded } = make('radial', { distortion: { follows: true } as never });
  const fixed = make('radial');
  // it matters: the same point lies pixels apart under the two readings
  expect(Math.hypot(...recorded(0, POINTS[0]).map((v, i) => v - fixed.recorded(0, POINTS[0])[i]))).toBeGreaterThan(0.5);
  const { facts } = JSON.parse(((await written('tracking-json', shot)) as string).split('\n')[0]).mesure as { facts: ShotFacts };
  for (const p of POINTS) near(byFormula(facts.distortion as LensDescription, make('radial').undistorted(0, p)), recorded(0, p), 1e-6);
  const [row] = Papa.parse<Record<string, string>>((await written('csv', shot)) as string, { header: true }).data;
  expect(Number(row.normalised_fy_px)).toBeCloseTo((26.1 * H) / SENSOR.heightMm, 6);
});

test('the place that is worked out in a file is what its own formula gives', async () => {
  const facts = JSON.parse(((await written('tracking-json', make('anamorphic').shot)) as string).split('\n')[0]).mesure.facts as ShotFacts;
  const lens = facts.distortion as LensDescription;
  near(byFormula(lens, lens.example!.undistortedPx), lens.example!.recordedPx, 1e-6);
  // and it says something: the place is moved by many pixels
  expect(Math.hypot(lens.example!.undistortedPx[0] - lens.example!.recordedPx[0], lens.example!.undistortedPx[1] - lens.example!.recordedPx[1])).toBeGreaterThan(5);
});

test('a readout skew that was taken out is said with its time; where none was, nothing is', async () => {
  const { shot } = make('none');
  const factsOf = async (of: Shot) => JSON.parse(((await written('tracking-json', of)) as string).split('\n')[0]).mesure.facts as ShotFacts;
  const out = await factsOf({ ...shot, setup: { ...shot.setup, readout: { ms: 15.5 } } });
  expect(out.readout).toMatchObject({ ms: 15.5, what: expect.stringMatching(/middle row, and the pictures keep their skew/) });
  expect((await factsOf({ ...shot, setup: { ...shot.setup, readout: null } })).readout).toBeNull();
  expect((await factsOf(shot)).readout).toBeNull();
});

test('points carry their covariance, and a sigma for each axis', async () => {
  const { shot } = make('none');
  const row = Papa.parse<Record<string, string>>((await written('points', shot)) as string, { header: true, skipEmptyLines: true }).data[0];
  expect([row.sigma_x, row.sigma_y, row.sigma_z].map(Number)).toEqual([0.002, 0.003, 0.008]);
  expect([row.cov_xy, row.cov_xz, row.cov_yz].map(Number)).toEqual([1e-6, -2e-6, 5e-7]);
  const ply = (await written('ply', shot)) as string;
  expect(ply).toMatch(/comment vertex 2 K2\n/);
  expect(ply.trim().split('\n').pop()).toBe('1.4 2.3 -3.4 0.002 0.003 0.008');
});

test('an object before a still camera: the camera’s files say whose frame they are in, and its own way leaves beside them', async () => {
  const way = [0, 1].map((i) => ({ frame: 1001 + i, position: [0.1 * i, 0.5, -3], rotation: [0, Math.sin(0.1 * i), 0, Math.cos(0.1 * i)] }));
  const { shot } = make('none', { motion: 'object', object: way } as never);
  expect(filesOfSolve(shot.solve).map((f) => fileName(f, shot.solve))).toEqual([
    'camera.object.glb',
    'camera.object.usda',
    'tracking.object.jsonl',
    'camera.object.csv',
    'points.object.csv',
    'points.object.ply',
    'object.csv',
  ]);
  const rows = Papa.parse<Record<string, string>>((await written('object-csv', { ...shot, space: { unit: 'cm', up: 'Z' } })) as string, { header: true, skipEmptyLines: true }).data;
  expect(rows.map((r) => [r.frame, r.x, r.y, r.z, r.unit, r.up])).toEqual([
    ['1001', '0', '300', '50', 'cm', 'Z'],
    ['1002', '10', '300', '50', 'cm', 'Z'],
  ]);
  expect(filesOfSolve(make('none').shot.solve).map((f) => f.file)).not.toContain('object.csv');
});

test('what is not in metres or not whole says so in its name and inside, and does not leave where metres are meant', async () => {
  const { shot } = make('none', { status: 'partial', anchoring: { scale: null, sigmaScalePct: null, datum: [], residuals: [] } });
  const files = filesOfSolve(shot.solve);
  expect(files.map((f) => f.format)).toEqual(SHOT_FILES.map((f) => f.format).filter((f) => f !== 'tracking-json' && f !== 'object-csv'));
  expect(files.map((f) => fileName(f, shot.solve))).toEqual([
    'camera.partial.unscaled.glb',
    'camera.partial.unscaled.usda',
    'camera.partial.unscaled.csv',
    'points.partial.unscaled.csv',
    'points.partial.unscaled.ply',
  ]);
  expect((await written('csv', shot)) as string).toContain(',of the solve,');
  expect((await written('usda', shot)) as string).toMatch(/without a scale/);
  expect((await written('ply', shot)) as string).toMatch(/unit of the solve/);
  const root = (await new NodeIO().readBinary((await written('gltf', shot)) as Uint8Array)).getRoot();
  expect(root.listScenes()[0].getName()).toBe('41A take 2 (unit of the solve)');
});
