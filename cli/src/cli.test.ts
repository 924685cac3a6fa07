import { normals, renderChequer, renderStill, roomPanels, roomShot, type ChequerScene, type RenderedPlate } from '@mesure/synthetic';
import JSZip from 'jszip';
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import { encode } from 'node-wav';
import path from 'node:path';
import sharp from 'sharp';
import { mesure } from './run-mesure';

const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-cli-'));
const file = (name: string) => path.join(dir, name);
const W = 1600,
  H = 844;
const setup = (change: object = {}) => ({ image: { width: W, height: H }, sensor: { widthMm: 24, heightMm: 12.66 }, focal: { mode: 'free', mm: 32 }, distortion: { mode: 'none' }, ...change });

/** Renders a plate of the tests' lens and keeps it as a PNG. */
async function savePlate(name: string, cellPx: number, change: Partial<ChequerScene> = {}): Promise<RenderedPlate> {
  const fx = (32 * W) / 24;
  const lens = { fxPx: fx, fyPx: (32 * H) / 12.66, cx: W / 2, cy: H / 2, k1: -0.1, k2: 0, k3: 0, p1: 0, p2: 0 };
  const plate = renderChequer({ widthPx: W, heightPx: H, lens, cellSlope: cellPx / fx, noise: 2, offsetCells: [0.3, 0.4], ...change });
  await sharp(Buffer.from(plate.gray), { raw: { width: W, height: H, channels: 1 } })
    .png()
    .toFile(file(name));
  return plate;
}

beforeAll(async () => {
  writeFileSync(file('setup.json'), JSON.stringify(setup()));
  await savePlate('plate.png', 42);
  await sharp({ create: { width: W, height: H, channels: 3, background: '#777' } })
    .png()
    .toFile(file('grey.png'));
  writeFileSync(file('tracks.csv'), roomShot({ widthPx: W, heightPx: H, focalMm: 22.72, sensorWidthMm: 24, sensorHeightMm: 12.66, frames: 30, noisePx: 0.4 }).csv);
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

test('help lists the commands and explains each with an example', () => {
  expect(mesure(['help']).out).toMatch(/optics[\s\S]*grid[\s\S]*solve[\s\S]*reconcile[\s\S]*export/);
  for (const c of ['optics', 'grid', 'edges', 'net', 'stills', 'sync', 'solve', 'forecast', 'reconcile', 'export', 'handover', 'track', 'lineup', 'rig'])
    expect(mesure(['help', c]).out).toMatch(/Example\n {2}mesure /);
  expect(mesure(['frobnicate'])).toMatchObject({ code: 2, out: '' });
});

test('optics', () => {
  const r = mesure(['optics', '--setup', file('setup.json')]);
  expect(r.code).toBe(0);
  expect(r.json().fovHorizontalDeg).toBeCloseTo((2 * Math.atan(24 / 64) * 180) / Math.PI, 9);
  expect(mesure(['optics', '--setup', '-'], JSON.stringify(setup({ adapterFactor: 0.71 }))).json().effectiveFocalMm).toBeCloseTo(22.72, 9);
});

test('grid fits a plate, writes its corners, refuses what is no chart', () => {
  const r = mesure(['grid', file('plate.png'), '--setup', file('setup.json'), '--chart', 'chequer', '--cell', '20mm', '--corners', file('corners.csv')]);
  expect(r.code).toBe(0);
  expect(r.json()).toMatchObject({ distortion: { model: 'radial', focalMm: 32 }, plates: [{ file: file('plate.png') }] });
  expect(Math.abs(r.json().distortion.k[0] + 0.1)).toBeLessThan(4 * r.json().distortion.sigma.k[0]);
  expect(r.json().rmsPx).toBeLessThan(0.08);
  expect(r.err).toMatch(/finding corners/);
  const corners = readFileSync(file('corners.csv'), 'utf8').trim().split('\n');
  expect(corners[0]).toBe('row,col,x,y');
  expect(corners).toHaveLength(r.json().plates[0].corners + 1);
  const none = mesure(['grid', file('grey.png'), '--setup', file('setup.json'), '--chart', 'chequer', '--cell', '20mm']);
  expect(none.code).toBe(1);
  expect(none.json()).toMatchObject({ reason: 'no-chart', distortion: null });
});

test('one frame of a clip is a plate; a time past its end is refused', () => {
  // half a second of grey, then the plate
  const input = (name: string) => ['-loop', '1', '-t', '0.5', '-r', '10', '-i', file(name)];
  const made = spawnSync('ffmpeg', [
    '-v',
    'error',
    ...input('grey.png'),
    ...input('plate.png'),
    '-filter_complex',
    '[0]format=gray[a];[1]format=gray[b];[a][b]concat=n=2',
    '-c:v',
    'mjpeg',
    '-q:v',
    '2',
    '-pix_fmt',
    'yuvj420p',
    '-y',
    file('clip.mov'),
  ]);
  expect(made.stderr.toString()).toBe('');
  const at = (seconds: string) => mesure(['grid', file('clip.mov'), '--at', seconds, '--setup', file('setup.json'), '--chart', 'chequer', '--cell', '20mm']);
  expect(at('0.8').json()).toMatchObject({ status: 'usable', distortion: { model: 'radial' } });
  expect(at('0.1')).toMatchObject({ code: 1 });
  expect(at('7')).toMatchObject({ code: 2, err: expect.stringContaining('there is no frame at 7.00 s') });
  expect(at('soon')).toMatchObject({ code: 2 });
});

test('solve, reconcile and export in a row: the forgotten reducer is named', () => {
  const solved = mesure(['solve', file('tracks.csv'), '--setup', file('setup.json')]);
  expect(solved.code).toBe(0);
  expect(Math.abs(solved.json().focalMm - 22.72)).toBeLessThan(4 * solved.json().sigmaFocalMm);
  writeFileSync(file('solve.json'), solved.out);
  const judged = mesure(['reconcile', '--setup', file('setup.json'), '-'], solved.out);
  expect(judged.code).toBe(0);
  expect(judged.json().items[0]).toMatchObject({ quantity: 'focalLength', verdict: 'contradicts', causes: [expect.objectContaining({ cause: 'forgotten-reducer' })] });
  // the result names its setup, so that nothing else is needed
  const csv = mesure(['export', file('solve.json'), '--to', 'csv']);
  expect(csv.out.split('\n')).toHaveLength(32);
  expect(csv.out.split('\n')[0]).toMatch(/^frame,x,y,z,qx,qy,qz,qw,focal_mm,fx_px,/);
  // a rate that nobody gave is said to be assumed
  expect(mesure(['export', file('solve.json'), '--to', 'gltf', '--out', file('take.glb')])).toMatchObject({ code: 0, err: expect.stringContaining('this was assumed') });
  expect(readFileSync(file('take.glb')).subarray(0, 4).toString()).toBe('glTF');
  expect(mesure(['export', file('solve.json'), '--to', 'usda', '--name', '41A', '--fps', '25']).out).toMatch(/^#usda 1\.0\n[\s\S]*timeCodesPerSecond = 25/);
  writeFileSync(file('scaled.json'), JSON.stringify({ ...solved.json(), anchoring: { ...solved.json().anchoring, scale: 1 } }));
  expect(
    mesure(['export', file('scaled.json'), '--to', 'tracking-json'])
      .out.trim()
      .split('\n'),
  ).toHaveLength(30);
  // one from elsewhere: the path needs nothing, the rest asks for the setup
  const { setup: _setup, ...bare } = solved.json();
  writeFileSync(file('bare.json'), JSON.stringify(bare));
  expect(mesure(['export', file('bare.json'), '--to', 'csv']).out.split('\n')[0]).toBe('frame,x,y,z,qx,qy,qz,qw,focal_mm');
  expect(mesure(['export', file('bare.json'), '--to', 'gltf'])).toMatchObject({ code: 2, err: expect.stringContaining('give it with --setup') });
  // lengths without a scale are no metres
  writeFileSync(file('unscaled.json'), JSON.stringify({ ...solved.json(), anchoring: { ...solved.json().anchoring, scale: null } }));
  expect(mesure(['export', file('unscaled.json'), '--to', 'tracking-json'])).toMatchObject({ code: 2, err: expect.stringContaining('knows metres only') });
  expect(mesure(['export', file('unscaled.json'), '--to', 'usda'])).toMatchObject({ code: 0, out: expect.stringContaining('without a scale'), err: expect.stringContaining('not metres') });
});

test('tracks that count otherwise are said, and read as one says', () => {
  const [header, ...rows] = readFileSync(file('tracks.csv'), 'utf8').trim().split('\n');
  // as a program that counts from the middle of a half-size picture, y upwards, writes them
  const half = rows.map((row) => {
    const [track, frame, x, y] = row.split(',');
    return [track, frame, Number(x) / 2 - W / 4, H / 4 - Number(y) / 2].join(',');
  });
  writeFileSync(file('half.csv'), [header.split(',').slice(0, 4).join(','), ...half].join('\n'));
  const right = mesure(['solve', file('tracks.csv'), '--setup', file('setup.json')]).json();
  const read = mesure(['solve', file('half.csv'), '--setup', file('setup.json'), '--count-from', 'middle', '--y', 'up', '--tracked-size', `${W / 2}x${H / 2}`]).json();
  expect([read.status, read.question ?? null]).toEqual(['solved', null]);
  expect(Math.abs(read.focalMm - right.focalMm)).toBeLessThan(1e-3);
  const asked = mesure(['solve', file('half.csv'), '--setup', file('setup.json')]).json();
  expect(asked.question).toMatchObject({ what: 'middle' });
  expect(asked.warnings[0]).toMatch(/from the middle of the picture/);
  expect(mesure(['solve', file('half.csv'), '--setup', file('setup.json'), '--y', 'sideways'])).toMatchObject({ code: 2, err: expect.stringContaining('up or down') });
});

test('a handover is checked file by file; what is none is refused', async () => {
  const text = 'a,b\n1,2\n';
  const list = `${createHash('sha256').update(text).digest('hex')}  rows.csv\n${'0'.repeat(64)}  gone.csv\n`;
  writeFileSync(file('day.zip'), await new JSZip().file('rows.csv', text).file('MANIFEST.sha256', list).generateAsync({ type: 'nodebuffer' }));
  const r = mesure(['handover', file('day.zip'), '--verify']);
  expect([r.code, r.json()]).toMatchObject([
    1,
    {
      good: 1,
      notGood: 1,
      files: [
        { path: 'rows.csv', status: 'good', message: '1 rows' },
        { path: 'gone.csv', status: 'missing' },
      ],
    },
  ]);
  expect(mesure(['handover', file('setup.json'), '--verify'])).toMatchObject({ code: 2, err: expect.stringMatching(/is no zip/) });
  expect(mesure(['handover', file('day.zip')])).toMatchObject({ code: 2, err: expect.stringContaining('--verify') });
});

test.each<[string, string[], RegExp]>([
  ['no such file', ['solve', 'nowhere.csv', '--setup', 'SETUP'], /nowhere\.csv: there is no such file/],
  ['unknown option', ['optics', '--colour', 'red'], /colour/],
  ['missing option', ['optics'], /--setup is required/],
  ['a cell without unit', ['grid', 'PLATE', '--setup', 'SETUP', '--chart', 'chequer', '--cell', '20'], /--cell: "20" has no unit/],
  ['unknown chart', ['grid', 'PLATE', '--setup', 'SETUP', '--chart', 'dots', '--cell', '20mm'], /--chart dots/],
  ['text called a picture', ['grid', 'SETUP', '--setup', 'SETUP', '--chart', 'chequer', '--cell', '20mm'], /is not a picture/],
])('bad input, one line and exit 2: %s', (_name, args, message) => {
  const r = mesure(args.map((a) => (a === 'SETUP' ? file('setup.json') : a === 'PLATE' ? file('plate.png') : a)));
  expect(r.code).toBe(2);
  expect(r.err.trim().split('\n')).toHaveLength(1);
  expect(r.err).toMatch(message);
  expect(r.out).toBe('');
});

test('a take that cannot be solved exits 1 and says why', () => {
  const few = readFileSync(file('tracks.csv'), 'utf8')
    .split('\n')
    .filter((l) => /^(track|m[1-5],)/.test(l))
    .join('\n');
  const r = mesure(['solve', '-', '--setup', file('setup.json')], few);
  expect(r.code).toBe(1);
  expect(r.json()).toMatchObject({ status: 'failed', reason: expect.stringMatching(/too few tracks/) });
});

test('grid --distance measures the focal length from a square-on chart', () => {
  // cells of 42 px at 32 mm: 42 mm cells stand at 32·W/24 / 42 · 42 mm = 2.1333 m
  const args = ['grid', file('plate.png'), '--setup', file('setup.json'), '--chart', 'chequer', '--cell', '42mm'];
  const r = mesure([...args, '--distance', `${((32 * W) / 24 / 1000).toFixed(4)} m`]);
  expect(r.code).toBe(0);
  expect(r.json().focalFromDistance.mm).toBeCloseTo(32, 1);
  expect(mesure([...args, file('plate.png'), '--distance', '2 m'])).toMatchObject({ code: 2, err: expect.stringMatching(/--distance goes with one plate/) });
  expect(mesure([...args, '--distance', '2']).err).toMatch(/unit/);
});

test('a ruled chart is found by its crossings, and a chequer is not taken for one', async () => {
  const plate = await savePlate('ruled.png', 60, { ruled: { widthCells: 0.05 } });
  const r = mesure(['grid', file('ruled.png'), '--setup', file('setup.json'), '--chart', 'ruled', '--cell', '60mm', '--corners', file('ruled.csv')]);
  expect(r.code).toBe(0);
  expect(r.json().distortion.k[0]).toBeCloseTo(-0.1, 2);
  expect(readFileSync(file('ruled.csv'), 'utf8').split('\n').length).toBeGreaterThan(0.95 * plate.corners.length);
  const wrong = mesure(['grid', file('plate.png'), '--setup', file('setup.json'), '--chart', 'ruled', '--cell', '60mm']);
  expect([wrong.code, wrong.json().reason]).toEqual([1, 'no-chart']);
});

test('grid --model auto shows what was tried, and --map writes both ST maps', () => {
  const r = mesure(['grid', file('plate.png'), '--setup', file('setup.json'), '--chart', 'chequer', '--cell', '42mm', '--model', 'auto', '--map', file('lens.tif')]);
  expect(r.code).toBe(0);
  const result = r.json();
  expect(result.candidates.map((c: { model: string }) => c.model)).toEqual(['radial', 'division', 'fisheye', 'anamorphic']);
  expect(result.distortion.model).toBe('radial');
  expect(result.why).toContain('predicts unseen parts');
  expect(result.maps.roundTripPx).toBeLessThan(0.01);
  // 2 × 4 bytes a pixel, and the undistorted picture is the larger one
  const size = (name: string) => readFileSync(file(name)).length;
  expect(size('lens.redistort.tif')).toBeGreaterThan(8 * W * H);
  expect(size('lens.tif')).toBeGreaterThan(size('lens.redistort.tif'));
});

test.each([
  [['--model', 'cubic'], /--model cubic is not known; it must be auto, radial, division, fisheye, anamorphic/],
  [['--map', 'map.png'], /--map map\.png must end in \.exr or \.tif/],
])('grid %p is refused before anything is read', (more, message) => {
  const r = mesure(['grid', file('gone.png'), '--setup', file('setup.json'), '--chart', 'chequer', '--cell', '42mm', ...more]);
  expect(r.code).toBe(2);
  expect(r.err).toMatch(message);
});

test('edges: a lens from straight edges; bad marks are named; edges that tell nothing end in 1', () => {
  // straight lines y = c seen through yd = y(1 − 0.15 r²)
  const rows: string[] = [];
  const through = (edge: string, c: number) => {
    for (let i = -8; i <= 8; i += 1) {
      const x = i / 16;
      const m = 1 - 0.15 * (x * x + c * c);
      rows.push(`${edge},${W / 2 + ((32 * W) / 24) * x * m},${H / 2 + ((32 * H) / 12.66) * c * m}`);
    }
  };
  [-0.24, -0.2, 0.19, 0.23].forEach((c, i) => through(`wall ${i}`, c));
  writeFileSync(file('edges.csv'), `edge,x,y\n${rows.join('\n')}\n`);
  const r = mesure(['edges', file('edges.csv'), '--setup', file('setup.json')]);
  expect(r.code).toBe(0);
  expect(r.json().distortion.k[0]).toBeCloseTo(-0.15, 3);
  const bad = mesure(['edges', '-', '--setup', file('setup.json')], 'edge,x,y\na,1,2\na,three,4\n');
  expect([bad.code, bad.err]).toEqual([2, 'mesure edges: -, line 3, x: "three" is not a number\n']);
  rows.length = 0;
  through('middle', 0);
  through('near it', 0.001);
  const flat = mesure(['edges', '-', '--setup', file('setup.json')], `edge,x,y\n${rows.join('\n')}\n`);
  expect(flat.code).toBe(1);
  expect(flat.json().reason).toBe('not-determined');
});

describe('forecast', () => {
  const plan = (change: object = {}) => ({
    ...setup({ focal: { mode: 'held', mm: 32 } }),
    noisePx: 0.5,
    path: Array.from({ length: 24 }, (_, i) => ({ frame: i + 1, position: [-0.8 + (1.6 * i) / 23, 1.4, 0], rotation: [0, 0, 0, 1] })),
    marks: Array.from({ length: 20 }, (_, i) => ({ id: `m${i}`, position: [-0.9 + 0.45 * (i % 5), 0.9 + 0.3 * Math.floor(i / 5), -4 - 0.7 * ((i * 7) % 4)] })),
    anchors: { lengths: [{ a: 'm0', b: 'm19', m: 2, sigmaM: 0.002 }] },
    ...change,
  });
  const run = (value: object) => mesure(['forecast', '-'], JSON.stringify(value));

  test('says what a solve will determine, and what would help', () => {
    const r = run(plan());
    expect(r.code).toBe(0);
    const answer = r.json();
    expect(answer.frames).toHaveLength(24);
    expect(answer.sigmaScalePct).toBeGreaterThan(0.05);
    expect(answer.sigmaHeightM).toBeNull();
    expect(answer.slipPx).toBeGreaterThan(0);
    expect(answer.nextBest[0]).toMatchObject({ kind: expect.any(String), gainPct: expect.any(Number) });
    // half the noise, half the slip
    expect(run(plan({ noisePx: 0.25 })).json().slipPx / answer.slipPx).toBeCloseTo(0.5, 6);
  });

  test('a turn on the spot gives directions only; nothing in sight gives nothing', () => {
    const turn = plan().path.map((f, i) => ({ ...f, position: [0, 1.4, 0], rotation: [0, Math.sin(0.01 * i - 0.1), 0, Math.cos(0.01 * i - 0.1)] }));
    expect(run(plan({ path: turn })).json()).toMatchObject({ status: 'directions', sigmaScalePct: null, sigmaHeightM: null });
    const none = run(plan({ marks: [] }));
    expect(none.code).toBe(1);
    expect(none.json()).toMatchObject({ status: 'none', slipPx: null });
  });

  test('says where a plan cannot be read', () => {
    expect(run(plan({ path: [] }))).toMatchObject({ code: 2, out: '' });
    expect(run(plan({ marks: [{ id: 'a', position: [0, 0, 'x'] }] })).err).toMatch(/marks\[0\]\.position/);
    expect(run(plan({ noisePx: -1 })).err).toMatch(/noisePx/);
    expect(run(plan({ anchors: { cameraHeights: [{ frame: 99, m: 1.4 }] } })).err).toMatch(/cameraHeights\[0\]\.frame/);
  });
});

describe('net', () => {
  // a box of 3 × 2 × 1.5 m by Pythagoras, its ties in the units in which a set writes them
  const box: Record<string, [number, number, number]> = { a: [0, 0, 0], b: [3, 0, 0], c: [3, 0, 2], d: [0, 0, 2], e: [0, 1.5, 0], f: [3, 1.5, 0], g: [3, 1.5, 2], h: [0, 1.5, 2] };
  const ids = Object.keys(box);
  const m = (p: string, q: string) => Math.hypot(...[0, 1, 2].map((i) => box[p][i] - box[q][i]));
  const pairs = ids.flatMap((p, i) => ids.slice(i + 1).map((q) => [p, q] as const));
  const row = ([p, q]: readonly [string, string], value = `${m(p, q).toFixed(4)},m`) => `${p},${q},${value}`;
  const save = (name: string, rows: string[]) => {
    writeFileSync(file(name), `${rows.join('\n')}\n`);
    return file(name);
  };
  const HEIGHTS = ['id,value,unit,tolerance', 'a,0,m,0.004', 'b,0,m,0.004', 'c,0,m,0.004', 'e,150,cm,0.4'];

  test('finds a box from its ties and heights, in any unit, and the slip that was made', () => {
    const rows = pairs.map((pair) => {
      // one in inches, one in feet and inches, one that was read in inches and written down as centimetres
      if (pair.join('') === 'ac') return row(pair, `${(m('a', 'c') / 0.0254).toFixed(3)},in`);
      if (pair.join('') === 'bd') return row(pair, `"11' 9 15/16""",ft-in`);
      if (pair.join('') === 'fh') return row(pair, `${(m('f', 'h') / 0.0254).toFixed(2)},cm`);
      return row(pair);
    });
    const out = ['csv', 'ply', 'dxf'].flatMap((kind) => [`--${kind}`, file(`places.${kind}`)]);
    const r = mesure(['net', save('ties.csv', ['from,to,value,unit', ...rows]), '--heights', save('heights.csv', HEIGHTS), ...out]);
    expect(readFileSync(file('places.csv'), 'utf8').split('\n')[0]).toBe('id,x,y,z,sigma_x,sigma_y,sigma_z');
    expect(readFileSync(file('places.ply'), 'utf8')).toMatch(/element vertex 8\n/);
    expect(readFileSync(file('places.dxf'), 'utf8').match(/^POINT$/gm)).toHaveLength(8);
    expect(r.code).toBe(0);
    const answer = r.json();
    expect(answer.status).toBe('solved');
    const at = (id: string): { x: number; y: number; z: number } => answer.points.find((q: { id: string }) => q.id === id);
    for (const [p, q] of pairs) expect(Math.abs(Math.hypot(at(p).x - at(q).x, at(p).y - at(q).y, at(p).z - at(q).z) - m(p, q))).toBeLessThan(0.002);
    for (const id of ids) expect(at(id).y).toBeCloseTo(box[id][1], 2);
    const suspects = answer.ties.filter((t: { suspect: boolean }) => t.suspect);
    expect(suspects).toMatchObject([{ from: 'f', to: 'h', explanation: 'inches were written down as centimetres' }]);
    expect(answer.sigma0).toBeLessThan(1.5);
    expect(answer.datum).toMatch(/heights from the floor/);
    expect(answer.mirror.status).toBe('open');
  });

  test('takes known points as the frame, and says what a point still needs', () => {
    const points = save('points.csv', ['id,x,y,z,sigma_x,sigma_y,sigma_z', 'a,0,0,0,,,', 'b,3,0,0,0.001,0.001,0.001', 'c,3,0,2,0,0,0', 'e,0,1.5,0,0,0,0']);
    const rows = pairs.filter(([, q]) => q !== 'h').map((pair) => row(pair));
    const r = mesure(['net', save('some.csv', ['from,to,value,unit,tolerance', ...rows.map((t) => `${t},0.004`), 'a,h,2.5,m,', 'e,h,2,m,']), '--points', points]);
    expect(r.code).toBe(0);
    const answer = r.json();
    const g = answer.points.find((q: { id: string }) => q.id === 'g');
    [g.x, g.y, g.z].forEach((v, i) => expect(v).toBeCloseTo(box.g[i], 2));
    expect(answer).toMatchObject({ status: 'partial', mirror: { status: 'settled' }, open: [{ id: 'h', missing: expect.stringMatching(/one further tie/) }] });
  });

  test('asks on which side a point stands, and takes the answers', () => {
    // e, f, g, h tied all round to the floor; p to three marks of one side only
    const p: [number, number, number] = [1.2, 0.4, 1.1];
    const toP = ['a', 'e', 'd'].map((id) => `p,${id},${Math.hypot(...[0, 1, 2].map((i) => box[id][i] - p[i])).toFixed(4)},m`);
    const net = ['net', save('side.csv', ['from,to,value,unit', ...pairs.map((pair) => row(pair)), ...toP]), '--heights', save('heights.csv', HEIGHTS)];
    const asked = mesure(net).json();
    const { ask } = asked.twins[0];
    expect(asked.twins).toMatchObject([{ ids: ['p'], ask: { id: 'p' } }]);
    const { a, b, c } = asked.mirror.ask;
    const inside = (way: string) => {
      const r = mesure([...net, '--turn', `${a} ${b} ${c} left`, '--side', ask.c ? `${ask.a} p ${ask.c} ${way}` : `p ${way} ${ask.a}`]).json();
      expect(r).toMatchObject({ twins: [], mirror: { status: 'settled' } });
      const at = (id: string): { x: number; y: number; z: number } => r.points.find((q: { id: string }) => q.id === id);
      return Math.hypot(at('p').x - at('b').x, at('p').y - at('b').y, at('p').z - at('b').z);
    };
    const apart = [inside('left'), inside('right')].sort((x, y) => x - y);
    expect(apart[0]).toBeCloseTo(Math.hypot(3 - p[0], p[1], p[2]), 2);
    expect(apart[1]).toBeCloseTo(Math.hypot(3 + p[0], p[1], p[2]), 2);
    expect(mesure([...net, '--side', 'p beside a']).err).toMatch(/--side "p beside a" is not "A P C left"/);
    expect(mesure([...net, '--turn', 'a z c left']).err).toMatch(/no tie names z/);
  });

  test('says where a file cannot be read, and when nothing is determined', () => {
    const bad = (rows: string[]) => mesure(['net', save('bad.csv', rows)]);
    expect(bad(['from,to,value', 'a,b,1']).err).toMatch(/bad\.csv.*unit/);
    expect(bad(['from,to,value,unit', 'a,b,1,furlong']).err).toMatch(/line 2.*unit.*furlong/);
    expect(bad(['from,to,value,unit', 'a,a,1,m']).err).toMatch(/line 2.*two different points/);
    expect(bad(['from,to,value,unit', 'a,b,x,m'])).toMatchObject({ code: 2, out: '' });
    expect(bad(['from,to,value,unit', 'a,b,1 in,m']).err).toMatch(/its unit column says m/);
    expect(bad(['from,to,value,unit,tolerance', 'a,b,1,m,0']).err).toMatch(/tolerance/);
    expect(bad(['from,to,value,unit']).err).toMatch(/holds no ties/);
    expect(mesure(['net', file('nowhere.csv')]).err).toMatch(/there is no such file/);
    expect(mesure(['net', '-', '--heights', '-'], '').err).toMatch(/only one of the files/);
    const few = bad(['from,to,value,unit', 'a,b,1,m', 'b,c,1,m']);
    expect(few.code).toBe(1);
    expect(few.json()).toMatchObject({ status: 'none', points: [] });
  });
});

describe('stills', () => {
  const panels = roomPanels(12, 8, 3, 9);
  const save = async (name: string, x: number, stops = 0) => {
    const { widthPx, heightPx, gray } = renderStill(
      panels,
      { at: [x, 1.5, -1.5], headingRad: 0, tiltRad: 0, widthPx: 480, heightPx: 320, focalPx: 360 },
      { noise: 2, seed: Math.round(10 * x) + 100, stops },
    );
    await sharp(Buffer.from(gray), { raw: { width: widthPx, height: heightPx, channels: 1 } })
      .png()
      .toFile(file(name));
    return file(name);
  };
  test('a walk that ties, and one with a gap and a jump in exposure, named by their files', async () => {
    const [a, b, c] = [await save('a.png', -2), await save('b.png', -0.6), await save('c.png', 3, 1)];
    const good = mesure(['stills', a, b, '--overlap', '0.5']);
    expect([good.code, good.json().gaps, good.json().remarks]).toEqual([0, [], []]);
    // at 2.5 m the frame is 3.33 m wide: 1.4 m further on 58 % is the same
    expect(Math.abs(good.json().pairs[0].overlap - 0.58)).toBeLessThan(0.03);
    const r = mesure(['stills', a, b, c]);
    expect(r.code).toBe(1);
    expect(r.json().gaps).toMatchObject([{ from: 'b.png', to: 'c.png', message: expect.stringContaining('Between b.png and c.png') }]);
    const jump = mesure(['stills', a, await save('light.png', -0.6, 1), '--overlap', '0.5']);
    expect(jump.json().remarks).toMatchObject([{ file: 'light.png', what: 'exposure', message: expect.stringMatching(/^(0\.9|1\.0) stops lighter than a\.png/) }]);
  });
  test('refuses one picture, a wrong overlap and what is no picture', () => {
    expect(mesure(['stills', file('plate.png')])).toMatchObject({ code: 2, out: '' });
    expect(mesure(['stills', file('plate.png'), file('plate.png'), '--overlap', '2']).err).toMatch(/--overlap 2/);
    expect(mesure(['stills', file('plate.png'), file('tracks.csv')]).err).toMatch(/tracks\.csv/);
  });
});

describe('sync', () => {
  // claps and steps: short bursts of noise, the same in both, at whole samples of 24 and 48 kHz
  const burst = (seed: number) => {
    const g = normals(seed);
    return Float32Array.from({ length: 2400 }, (_, i) => g() * Math.exp(-i / 500));
  };
  const AT_S = [1.2, 2.05, 3.4, 4.1, 6.3, 7.75, 9.1, 11.6];
  const recording = (rateHz: 24_000 | 48_000, laterS: number, seed: number, mine = AT_S): Float32Array => {
    const g = normals(seed);
    const out = Float32Array.from({ length: 14 * rateHz }, () => 0.01 * g());
    mine.forEach((s, n) => {
      const b = burst(100 + n);
      // at 24 kHz every other sample of what 48 kHz hears
      const every = 48_000 / rateHz;
      for (let i = 0; i < b.length / every; i += 1) out[Math.round((s + laterS) * rateHz) + i] += 0.2 * b[i * every];
    });
    return out;
  };
  const save = (name: string, rateHz: number, ...channels: Float32Array[]) => {
    writeFileSync(file(name), encode(channels, { sampleRate: rateHz, float: false, bitDepth: 16 }));
    return file(name);
  };
  test('says how much later the same sound is in the other, of other rate and channels', () => {
    const a = save('a.wav', 48_000, recording(48_000, 0, 1));
    const b = save('b.wav', 24_000, recording(24_000, 1.375, 2), recording(24_000, 1.375, 3));
    const r = mesure(['sync', a, b, '--fps', '25']);
    expect(r.code).toBe(0);
    expect(Math.abs(r.json().offsetS - 1.375)).toBeLessThan(0.001);
    expect(r.json().offsetFrames).toBeCloseTo(25 * r.json().offsetS, 9);
    expect(r.json().confidence).toBeGreaterThan(0.8);
    const back = mesure(['sync', b, a]);
    expect(Math.abs(back.json().offsetS + 1.375)).toBeLessThan(0.001);
  });
  test('has no confidence in recordings of different sounds, and refuses what is no sound', () => {
    const quiet = (seed: number) => Float32Array.from({ length: 8 * 24_000 }, normals(seed));
    const r = mesure([
      'sync',
      save(
        'x.wav',
        24_000,
        quiet(7).map((v) => v / 10),
      ),
      save(
        'y.wav',
        24_000,
        quiet(8).map((v) => v / 10),
      ),
    ]);
    expect(r.code).toBe(1);
    expect(r.json().confidence).toBeLessThan(0.3);
    expect(mesure(['sync', file('plate.png'), file('plate.png')]).err).toMatch(/plate\.png: is no WAV file/);
    expect(mesure(['sync', file('x.wav')])).toMatchObject({ code: 2, out: '' });
    expect(mesure(['sync', file('x.wav'), file('y.wav'), '--fps', '0']).err).toMatch(/--fps 0/);
  });
});
