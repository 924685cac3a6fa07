import { NodeIO } from '@gltf-transform/core';
import { COEFFICIENTS, distort, distortionFrom, intoSpace, OWN_SPACE, type LensDescription, type SolveResult, type Space } from '@mesure/core';
import Papa from 'papaparse';
import { unitOf } from '../shot';
import { schemaProblem, type SchemaName } from './schemas';

/** A solve in a handover; where its receiver counts otherwise, it says how the files beside it do. */
export type LeftSolve = SolveResult & { filesBeside?: Space & { addFrames: number } };

interface Reader {
  reads: RegExp;
  /** what was found, in words; throws an Error where the file does not hold together. `solve` is that of the same folder */
  check(bytes: Buffer, solve: () => Promise<LeftSolve | null>): Promise<string> | string;
}

const text = (bytes: Buffer): string => bytes.toString('utf8');
const must = (holds: boolean, words: string): void => {
  if (!holds) throw new Error(words);
};
/** @throws Error */
const follows = (schema: SchemaName, value: unknown): void => {
  const problem = schemaProblem(schema, value);
  must(problem === null, `does not follow its schema: ${problem}`);
};
const near = (a: readonly number[], b: readonly number[], within: number): boolean => a.every((v, i) => Math.abs(v - b[i]) <= within);
const finite = (values: readonly unknown[], what: string): void =>
  must(
    values.every((v) => typeof v === 'number' && Number.isFinite(v)),
    `${what} holds what is no number`,
  );

/** Rows of a table, each as long as its header. @throws Error */
function tableOf(whole: string): Record<string, string>[] {
  const [header, ...rows] = Papa.parse<string[]>(whole, { skipEmptyLines: true }).data;
  must(header !== undefined, 'is empty');
  rows.forEach((row, i) => must(row.length === header.length, `row ${i + 2} has ${row.length} values where the header names ${header.length}`));
  return rows.map((row) => Object.fromEntries(header.map((h, i) => [h, row[i]])));
}

/** The place that is worked out in a description, worked out again. @throws Error */
function checkLens(lens: LensDescription): void {
  const names = COEFFICIENTS[lens.model];
  must(names !== undefined, `the lens model "${lens.model}" is not known`);
  if (!lens.example) return;
  const distortion = distortionFrom(
    lens.model,
    names.map((n) => lens.coefficients[n] ?? 0),
  );
  const { undistortedPx: u, recordedPx: r } = lens.example;
  const [c, n] = [lens.centerPx, lens.normalisedByPx];
  const out = new Float64Array(2);
  distort(distortion, (u[0] - c[0]) / n[0], (u[1] - c[1]) / n[1], out);
  must(near([c[0] + out[0] * n[0], c[1] + out[1] * n[1]], r, 1e-3), 'the place that is worked out in it does not come out of its own formula');
}

/** Descriptions of lenses anywhere in a JSON file. */
function lensesIn(value: object | null | undefined): LensDescription[] {
  if (!value) return [];
  const here = 'formula' in value && 'normalisedByPx' in value ? [value as LensDescription] : [];
  return [...here, ...Object.values(value).flatMap((v: object | null) => (typeof v === 'object' ? lensesIn(v) : []))];
}

function checkSolve(s: SolveResult): string {
  must(['solved', 'partial'].includes(s.status), `status is "${s.status}"`);
  let last = -Infinity;
  for (const f of s.frames) {
    must(f.frame > last, `frame ${f.frame} does not come after ${last}`);
    last = f.frame;
    finite([...f.position, ...f.rotation, f.focalMm], `frame ${f.frame}`);
    must(Math.abs(Math.hypot(...f.rotation) - 1) < 1e-6, `the rotation of frame ${f.frame} is no unit quaternion`);
  }
  // a pan has directions instead of places
  for (const p of s.points as { track: string; position?: readonly number[]; direction?: readonly number[] }[]) finite(p.position ?? p.direction ?? [Number.NaN], `point ${p.track}`);
  return `${s.frames.length} frames, ${s.points.length} points`;
}

/** What belongs to a solve says the same as it. `ownSpace`: the format has a unit and axes of its own, whatever the receiver wants. */
function sameAs(solve: LeftSolve | null, frames: readonly { frame: number; position: readonly number[] }[], withinM: number, ownSpace?: 'own space'): string {
  if (!solve) return `${frames.length} frames`;
  must(frames.length === solve.frames.length, `holds ${frames.length} frames, the solve beside it ${solve.frames.length}`);
  const beside = solve.filesBeside ?? { ...OWN_SPACE, addFrames: 0 };
  const into = intoSpace(ownSpace ? OWN_SPACE : beside, unitOf(solve) === 'm');
  frames.forEach((f, i) =>
    must(
      f.frame === solve.frames[i].frame + beside.addFrames && near(f.position, into.place(solve.frames[i].position), withinM * into.perMetre),
      `frame ${f.frame} stands elsewhere than in the solve beside it`,
    ),
  );
  return `${frames.length} frames, as in the solve`;
}

/** One line makes another kind of file be checked; the first that fits a path is asked. */
export const READERS: readonly Reader[] = [
  // whoever tracked it wrote it in his own way; that it is what was given is known by its checksum
  { reads: /\/(tracks|elsewhere)\//, check: () => 'as it was given' },
  {
    reads: /solve\.json$/,
    check(bytes) {
      const solve = JSON.parse(text(bytes)) as SolveResult;
      lensesIn(solve).forEach(checkLens);
      return checkSolve(solve);
    },
  },
  {
    reads: /\.lens\.json$/,
    check(bytes) {
      const sample = JSON.parse(text(bytes)) as object;
      follows('tracking sample', sample);
      const lenses = lensesIn(sample);
      lenses.forEach(checkLens);
      return `follows the schema${lenses.length > 0 ? '; the place that is worked out comes out of its formula' : ''}`;
    },
  },
  {
    reads: /\.fdl$/,
    check(bytes) {
      follows('framing list', JSON.parse(text(bytes)));
      return 'follows the schema';
    },
  },
  {
    reads: /\.(json|otio)$/,
    check(bytes) {
      const value = JSON.parse(text(bytes)) as object | null;
      const lenses = lensesIn(value);
      lenses.forEach(checkLens);
      return lenses.length > 0 ? 'the place that is worked out comes out of its formula' : 'JSON';
    },
  },
  {
    reads: /camera[^/]*\.csv$/,
    async check(bytes, solve) {
      const rows = tableOf(text(bytes));
      const of = (row: Record<string, string>, keys: readonly string[]) => keys.map((k) => Number(row[k]));
      rows.forEach((row) => finite(of(row, ['frame', 'x', 'y', 'z', 'qx', 'qy', 'qz', 'qw', 'focal_mm', 'fx_px', 'fy_px']), `frame ${row.frame}`));
      return sameAs(
        await solve(),
        rows.map((row) => ({ frame: Number(row.frame), position: of(row, ['x', 'y', 'z']) })),
        1e-6,
      );
    },
  },
  { reads: /\.csv$/, check: (bytes) => `${tableOf(text(bytes)).length} rows` },
  {
    reads: /\.glb$/,
    async check(bytes, solve) {
      const root = (await new NodeIO().readBinary(bytes)).getRoot();
      must(root.listCameras().length === 1, 'holds no camera');
      lensesIn(root.getExtras()).forEach(checkLens);
      const node = root.listNodes().find((n) => n.getCamera())!;
      const { firstFrame, fps } = node.getExtras() as { firstFrame: number; fps: number };
      const sampler = root.listAnimations()[0].listSamplers()[0];
      const times = sampler.getInput()!.getArray() as Float32Array;
      const places = sampler.getOutput()!.getArray() as Float32Array;
      const frames = Array.from(times, (seconds, i) => ({ frame: Math.round(firstFrame + seconds * fps), position: Array.from(places.slice(3 * i, 3 * i + 3)) }));
      // the format holds 32-bit numbers
      return sameAs(await solve(), frames, 1e-3, 'own space');
    },
  },
  {
    reads: /\.usda$/,
    async check(bytes, solve) {
      const whole = text(bytes);
      must(whole.startsWith('#usda 1.0\n'), 'does not begin as USD text does');
      const block = /xformOp:translate\.timeSamples = \{([^}]*)\}/.exec(whole)?.[1];
      must(block !== undefined, 'holds no camera move');
      const frames = [...block!.matchAll(/([-\d]+): \(([^)]*)\)/g)].map((m) => ({ frame: Number(m[1]), position: m[2].split(',').map(Number) }));
      return sameAs(await solve(), frames, 1e-6);
    },
  },
  {
    reads: /\.jsonl$/,
    async check(bytes, solve) {
      const samples = text(bytes)
        .split('\n')
        .filter((l) => l !== '')
        .map((l) => JSON.parse(l) as { mesure: { frame: number }; transforms: { translation: { x: number; y: number; z: number } }[] });
      samples.forEach((s) => {
        follows('tracking sample', s);
        lensesIn(s).forEach(checkLens);
      });
      // Z up there, Y up in the solve
      return sameAs(
        await solve(),
        samples.map(({ mesure, transforms: [{ translation: t }] }) => ({ frame: mesure.frame, position: [t.x, t.z, -t.y] })),
        1e-6,
        'own space',
      );
    },
  },
  {
    reads: /\.ply$/,
    check(bytes) {
      const lines = text(bytes).trim().split('\n');
      const count = Number(/^element vertex (\d+)$/m.exec(text(bytes))?.[1] ?? Number.NaN);
      const rows = lines.slice(lines.indexOf('end_header') + 1);
      must(rows.length === count || (count === 0 && rows.length === 0), `names ${count} points and holds ${rows.length}`);
      rows.forEach((row, i) => finite(row.split(' ').map(Number), `point ${i + 1}`));
      return `${count} points`;
    },
  },
  {
    reads: /\.pdf$/,
    check(bytes) {
      must(bytes.subarray(0, 5).toString('latin1') === '%PDF-', 'is no PDF');
      return 'PDF';
    },
  },
];
