#!/usr/bin/env node
// Opens every file of a handover with readers that were not written here, and compares what they say with the solve: a point of the cloud, seen by
// the camera of each file alone, must lie on one place of the picture. Prints a table; ends with 1 where a file cannot be read or is off.
//   npm run formats               the demo's day of a start of its own, as it is kept and as its receiver wants it, with both kinds of maps
//   npm run formats -- DAY.zip    a handover that is there
import { NodeIO } from '@gltf-transform/core';
import { fromArrayBuffer } from 'geotiff';
import JSZip from 'jszip';
import { Buffer } from 'node:buffer';
import { randomUUID } from 'node:crypto';
import { createRequire } from 'node:module';
import { readFileSync } from 'node:fs';
import Papa from 'papaparse';
import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js';
import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js';
import { USDAParser } from 'three/examples/jsm/loaders/usd/USDAParser.js';
import { ownStart } from './own-start.mjs';

const validator = createRequire(import.meta.url)('gltf-validator');
/** What a file may be off by, px of the recorded picture; of a map, px too. */
const MOST_PX = 0.1;
/** Of what was tracked with a noise of a few tenths. */
const MOST_TRACK_PX = 0.6;

const rows = [];
let failed = false;
const told = (file, reader, what, worst, most = MOST_PX) => {
  const good = worst === null || (Number.isFinite(worst) && worst <= most);
  if (!good) failed = true;
  rows.push({ file, 'read with': reader, compared: what, worst: worst === null ? '' : worst.toExponential(1), good: good ? 'yes' : 'NO' });
};

const turnBack = ([x, y, z, w], v) => {
  const q = [-x, -y, -z];
  const t = [2 * (q[1] * v[2] - q[2] * v[1]), 2 * (q[2] * v[0] - q[0] * v[2]), 2 * (q[0] * v[1] - q[1] * v[0])];
  return [v[0] + w * t[0] + q[1] * t[2] - q[2] * t[1], v[1] + w * t[1] + q[2] * t[0] - q[0] * t[2], v[2] + w * t[2] + q[0] * t[1] - q[1] * t[0]];
};
/** Right and up over depth, of a camera that looks along its −Z. */
const slopes = (camera, point) => {
  const c = turnBack(
    camera.rotation,
    point.map((v, k) => v - camera.position[k]),
  );
  return [c[0] / -c[2], c[1] / -c[2]];
};
const numbers = (text) => (text.match(/-?\d+(?:\.\d+)?(?:e[-+]?\d+)?/gi) ?? []).map(Number);
const table = (text) => Papa.parse(text, { header: true, skipEmptyLines: true, dynamicTyping: true }).data;

/** Largest distance, px, between where two sets of cameras and points have each point in each frame; where they have other frames or points, it is none. */
function apartPx(solve, fx, fy, cameras, points, addFrames) {
  if (cameras.length !== solve.frames.length || points.length !== solve.points.length) return Number.NaN;
  let worst = 0;
  solve.frames.forEach((frame, i) => {
    if (cameras[i].frame !== frame.frame + addFrames) worst = Number.NaN;
    solve.points.forEach((p, k) => {
      const a = slopes(frame, p.position);
      const b = slopes(cameras[i], points[k]);
      const scale = cameras[i].focalRatio ?? 1;
      worst = Math.max(worst, Math.abs(fx * (a[0] - scale * b[0])), Math.abs(fy * (a[1] - scale * b[1])));
    });
  });
  return worst;
}

/** The formula of a lens, run as it is written in the file. */
const bendOf = (d) =>
  new Function('x', 'y', ...Object.keys(d.coefficients), `${d.formula.map((l) => `const ${l.replace(/\^/g, '**').replace(/\b(sqrt|atan|cos|sin)\(/g, 'Math.$1(')};`).join('\n')}\nreturn [xd, yd];`); // prettier-ignore

/** What somebody tracked in the picture, against where camera and lens of the files have it: half of them must lie nearer than the tracks' own noise. */
async function againstTracks(name, bytes, solve, addFrames, beside) {
  const tracks = await beside('tracks/').then((b) => table(b.toString('utf8')), () => null); // prettier-ignore
  if (!tracks || !['frame', 'track', 'x', 'y'].every((k) => k in (tracks[0] ?? {}))) return;
  const d = solve.facts.distortion;
  const bend = d === 'none' ? null : bendOf(d);
  const cameras = new Map(table(bytes.toString('utf8')).map((c) => [c.frame, c]));
  const points = new Map(table((await beside('points.csv')).toString('utf8')).map((p) => [String(p.id), p]));
  const off = [];
  for (const t of tracks) {
    const [c, p] = [cameras.get(t.frame + addFrames), points.get(String(t.track))];
    if (!c || !p) continue;
    const [right, up] = slopes({ position: [c.x, c.y, c.z], rotation: [c.qx, c.qy, c.qz, c.qw] }, [p.x, p.y, p.z]);
    let [x, y] = [c.cx_px + c.fx_px * right, c.cy_px - c.fy_px * up];
    if (bend) {
      const [xd, yd] = bend((x - d.centerPx[0]) / d.normalisedByPx[0], (y - d.centerPx[1]) / d.normalisedByPx[1], ...Object.values(d.coefficients));
      [x, y] = [d.centerPx[0] + xd * d.normalisedByPx[0], d.centerPx[1] + yd * d.normalisedByPx[1]];
    }
    off.push(Math.hypot(x - t.x, y - t.y));
  }
  off.sort((a, b) => a - b);
  told(name, 'Papa Parse', `${off.length} tracked places, median px`, off[off.length >> 1] ?? Number.NaN, MOST_TRACK_PX);
}

const READERS = [
  {
    of: /camera[^/]*\.glb$/,
    async read(bytes, { solve, fx, fy, addFrames }, name) {
      const { issues } = await validator.validateBytes(new Uint8Array(bytes));
      told(name, 'gltf-validator', 'errors', issues.numErrors, 0);
      const root = (await new NodeIO().readBinary(new Uint8Array(bytes))).getRoot();
      const node = root.listNodes().find((n) => n.getCamera());
      const { firstFrame, fps } = node.getExtras();
      const channels = root.listAnimations()[0].listChannels();
      const of = (path) => channels.find((c) => c.getTargetPath() === path).getSampler();
      const times = of('translation').getInput().getArray();
      const at = of('translation').getOutput().getArray();
      const q = of('rotation').getOutput().getArray();
      const cameras = Array.from(times, (s, i) => ({ frame: Math.round(firstFrame + s * fps), position: [...at.slice(3 * i, 3 * i + 3)], rotation: [...q.slice(4 * i, 4 * i + 4)] }));
      const cloud = root.listMeshes()[0].listPrimitives()[0].getAttribute('POSITION').getArray();
      const points = solve.points.map((_, i) => [...cloud.slice(3 * i, 3 * i + 3)]);
      told(name, 'glTF-Transform', 'points seen, px', apartPx(solve, fx, fy, cameras, points, addFrames));
      const camera = node.getCamera();
      const { picture } = camera.getExtras();
      const focal = picture.heightPx / (2 * Math.tan(camera.getYFov() / 2));
      told(name, 'glTF-Transform', 'focal length, px of 1000', (1000 * Math.abs(focal - fy)) / fy, 0.05);
    },
  },
  {
    of: /camera[^/]*\.usda$/,
    read(bytes, { solve, fx, fy, addFrames }, name) {
      const root = new USDAParser().parseText(bytes.toString('utf8'));
      const shot = root['def Xform "shot"'];
      const camera = shot['def Camera "camera"'];
      const samples = (key) => Object.entries(camera[key]).map(([frame, v]) => [Number(frame), Array.isArray(v) && typeof v[0] === 'number' ? v : numbers(String(v))]);
      const places = new Map(samples('double3 xformOp:translate.timeSamples').map(([f, v]) => (v.length === 3 ? [f, v] : [v[0], v.slice(1)])));
      const turns = new Map(samples('quatd xformOp:orient.timeSamples').map(([f, v]) => (v.length === 4 ? [f, v] : [v[0], v.slice(1)])));
      const cameras = [...places.keys()].sort((a, b) => a - b).map((frame) => {
        const [w, x, y, z] = turns.get(frame);
        return { frame, position: places.get(frame), rotation: [x, y, z, w] };
      }); // prettier-ignore
      const flat = numbers(shot['def Points "points"']['point3f[] points']);
      const points = solve.points.map((_, i) => flat.slice(3 * i, 3 * i + 3));
      told(name, 'three.js, USD text', 'points seen, px', apartPx(solve, fx, fy, cameras, points, addFrames));
      const focal = Number(camera['float focalLength'] ?? Number.NaN);
      const [width] = numbers(camera['custom int2 undistortedPictureSize']);
      if (Number.isFinite(focal)) told(name, 'three.js, USD text', 'focal length, px of 1000', (1000 * Math.abs((focal * width) / Number(camera['float horizontalAperture']) - fx)) / fx, 0.05);
    },
  },
  {
    of: /camera[^/]*\.csv$/,
    async read(bytes, { solve, fx, fy, addFrames, beside }, name) {
      const cameras = table(bytes.toString('utf8')).map((c) => ({ frame: c.frame, position: [c.x, c.y, c.z], rotation: [c.qx, c.qy, c.qz, c.qw], focalRatio: c.fx_px / fx }));
      const points = table((await beside('points.csv')).toString('utf8')).map((p) => [p.x, p.y, p.z]);
      told(name, 'Papa Parse', 'points seen, px', apartPx(solve, fx, fy, cameras, points, addFrames));
      await againstTracks(name, bytes, solve, addFrames, beside);
    },
  },
  {
    of: /tracking[^/]*\.jsonl$/,
    read(bytes, { solve, fx, fy, addFrames }, name) {
      const lines = bytes.toString('utf8').trim().split('\n').map((l) => JSON.parse(l)); // prettier-ignore
      // the schema's world: Z up, the camera along +Y; turned about Z, its own X, its own Y
      const rad = Math.PI / 180;
      const multiply = (a, b) => a.map((row) => b[0].map((_, j) => row.reduce((s, v, k) => s + v * b[k][j], 0)));
      const cameras = lines.map(({ transforms: [{ translation: t, rotation: r }], mesure }) => {
        const [p, i, o] = [rad * r.pan, rad * r.tilt, rad * r.roll];
        const z = [[Math.cos(p), -Math.sin(p), 0], [Math.sin(p), Math.cos(p), 0], [0, 0, 1]]; // prettier-ignore
        const x = [[1, 0, 0], [0, Math.cos(i), -Math.sin(i)], [0, Math.sin(i), Math.cos(i)]]; // prettier-ignore
        const y = [[Math.cos(o), 0, Math.sin(o)], [0, 1, 0], [-Math.sin(o), 0, Math.cos(o)]]; // prettier-ignore
        return { frame: mesure.frame, t: [t.x, t.y, t.z], m: multiply(multiply(z, x), y) };
      });
      let worst = cameras.length === solve.frames.length ? 0 : Number.NaN;
      cameras.forEach((c, i) => {
        if (c.frame !== solve.frames[i].frame + addFrames) worst = Number.NaN;
        for (const point of solve.points) {
          const v = [point.position[0], -point.position[2], point.position[1]].map((value, k) => value - c.t[k]);
          // columns of the matrix are the camera's right, ahead and up
          const [right, ahead, up] = [0, 1, 2].map((k) => v[0] * c.m[0][k] + v[1] * c.m[1][k] + v[2] * c.m[2][k]);
          const seen = slopes(solve.frames[i], point.position);
          worst = Math.max(worst, Math.abs(fx * (right / ahead - seen[0])), Math.abs(fy * (up / ahead - seen[1])));
        }
      });
      told(name, "by the schema's axes", 'points seen, px', worst);
    },
  },
  {
    of: /takes\/.*points[^/]*\.ply$/,
    async read(bytes, { beside }, name) {
      const points = table((await beside('points.csv')).toString('utf8'));
      const at = new PLYLoader().parse(bytes.toString('utf8')).getAttribute('position');
      const size = Math.max(...points.flatMap((p) => [p.x, p.y, p.z].map(Math.abs)));
      const worst = at.count === points.length ? Math.max(...points.map((p, i) => Math.max(Math.abs(at.getX(i) - p.x), Math.abs(at.getY(i) - p.y), Math.abs(at.getZ(i) - p.z)))) / size : Number.NaN;
      // the loader keeps 32 bits
      told(name, 'three.js, PLY', 'places against the table, of its size', worst, 1e-6);
    },
  },
];

/** A map of a lens against its formula, at places all over the picture: as a compositor would ask it. */
async function readMaps(zip, names) {
  if (!names.includes('lenses/takes.json')) return;
  const lenses = JSON.parse(await zip.file('lenses/takes.json').async('string'));
  const seen = new Set();
  for (const { maps, distortion: d, undistorted: u } of lenses) {
    if (!maps || seen.has(maps.undistort)) continue;
    seen.add(maps.undistort);
    const bend = bendOf(d);
    const bytes = await zip.file(maps.undistort).async('arraybuffer');
    const exr = maps.undistort.endsWith('.exr');
    const image = exr ? new EXRLoader().setDataType(1015).parse(bytes) : await (await fromArrayBuffer(bytes)).getImage();
    const [w, h] = exr ? [image.width, image.height] : [image.getWidth(), image.getHeight()];
    const data = exr ? image.data : await image.readRasters({ interleave: true });
    const bands = data.length / (w * h);
    const [rw, rh] = [d.picture.widthPx, d.picture.heightPx];
    let worst = w === u.widthPx && h === u.heightPx ? 0 : Number.NaN;
    for (let i = 0; i <= 8; i += 1)
      for (let k = 0; k <= 8; k += 1) {
        const [x, y] = [Math.round(((w - 1) * i) / 8), Math.round(((h - 1) * k) / 8)];
        const at = bands * ((exr ? h - 1 - y : y) * w + x);
        const [xd, yd] = bend(
          (x + 0.5 - u.recordedCornerPx[0] - d.centerPx[0]) / d.normalisedByPx[0],
          (y + 0.5 - u.recordedCornerPx[1] - d.centerPx[1]) / d.normalisedByPx[1],
          ...Object.values(d.coefficients),
        );
        worst = Math.max(worst, Math.abs(data[at] * rw - d.centerPx[0] - xd * d.normalisedByPx[0]), Math.abs((1 - data[at + 1]) * rh - d.centerPx[1] - yd * d.normalisedByPx[1]));
      }
    told(maps.undistort, exr ? 'three.js, OpenEXR' : 'geotiff.js', 'against the formula, px', worst, 0.01);
  }
}

async function read(bytes, of) {
  const zip = await JSZip.loadAsync(bytes);
  const names = Object.keys(zip.files).filter((n) => !zip.files[n].dir);
  const solves = names.filter((n) => /(^|_|\/)solve\.json$/.test(n));
  if (solves.length === 0) throw new Error(`${of} holds no solved take`);
  for (const at of solves) {
    const folder = at.replace(/[^/]*$/, '');
    const prefix = at.slice(folder.length).replace(/solve\.json$/, '');
    const solve = JSON.parse(await zip.file(at).async('string'));
    const [fx, fy] = solve.facts.focalLength.px;
    const beside = async (n) => {
      const [begins, ends] = n.endsWith('/') ? [`${folder}${n}`, ''] : [`${folder}${prefix}${n.replace(/\..*/, '')}`, n.replace(/.*\./, '.')];
      const found = names.find((name) => name.startsWith(begins) && name.endsWith(ends));
      if (!found) throw new Error(`${folder}${n} is missing`);
      return zip.file(found).async('nodebuffer');
    };
    const context = { solve, fx, fy, addFrames: solve.filesBeside?.addFrames ?? 0, beside };
    for (const name of names.filter((n) => n.startsWith(folder))) {
      const reader = READERS.find((r) => r.of.test(name));
      if (reader) await reader.read(Buffer.from(await zip.file(name).async('nodebuffer')), context, `${of}: ${name.slice(folder.length)}`);
    }
  }
  await readMaps(zip, names);
}

async function demo() {
  const start = await ownStart('formats');
  try {
    const { ask } = await start.signIn('wrangler');
    const { records } = await (await ask('/records')).json();
    const receiver = records.find((r) => r.kind === 'receiver').id;
    const day = records.find((r) => r.kind === 'take' && r.body.slate === '42B').body.setupId;
    const dayId = records.find((r) => r.id === day).body.dayId;
    for (const [of, wanted] of [
      ['as kept', { maps: 'exr' }],
      ['TIFF', { maps: 'tiff' }],
      ['receiver', { receiverId: receiver }],
    ]) {
      const r = await ask(`/days/${dayId}/handovers`, { id: randomUUID(), to: 'Lisk', supplementTo: null, ...wanted });
      if (!r.ok) throw new Error(`the day was not handed over: ${r.status} ${await r.text()}`);
      await read(Buffer.from(await r.arrayBuffer()), of);
    }
  } finally {
    await start.stop();
  }
}

if (process.argv[2]) await read(readFileSync(process.argv[2]), process.argv[2].replace(/.*\//, ''));
else await demo();
console.table(rows);
process.exit(failed ? 1 : 0);
