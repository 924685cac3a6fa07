import { carriedPair, pairRoom, rigAxes } from '@mesure/synthetic';
import JSZip from 'jszip';
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { mesure } from './run-mesure';
import { file, H, savePlate, setup, W } from './test-folder';

test('help lists the commands and explains each with an example', () => {
  expect(mesure(['help']).out).toMatch(/optics[\s\S]*grid[\s\S]*solve[\s\S]*reconcile[\s\S]*export/);
  for (const c of ['optics', 'grid', 'edges', 'lens', 'net', 'stills', 'sync', 'solve', 'forecast', 'reconcile', 'export', 'handover', 'track', 'lineup', 'rig'])
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

test('lens reads back the maps and the metadata that grid and others write, and typed coefficients', () => {
  const grid = mesure(['grid', file('plate.png'), '--setup', file('setup.json'), '--chart', 'chequer', '--cell', '20mm', '--map', file('map.exr')]).json();
  const corner = (r: Record<string, unknown>) => r.cornerDisplacementPct as number;
  for (const [name, way] of [
    ['map.exr', 'undistorts'],
    ['map.redistort.exr', 'distorts'],
  ]) {
    const read = mesure(['lens', file(name), '--way', way, '--setup', file('setup.json')]);
    expect(read.code).toBe(0);
    expect(read.json().rmsPx).toBeLessThan(0.02);
    expect(corner(read.json())).toBeCloseTo(corner(grid), 2);
  }
  expect(corner(mesure(['lens', file('map.exr'), '--way', 'distorts', '--setup', file('setup.json')]).json())).toBeGreaterThan(0);
  // the plate was rendered with −0.1 over the focal length: the same over half the width
  const half = (-0.1 * (W / 2) ** 2) / ((32 * W) / 24) ** 2;
  const typed = mesure(['lens', '--setup', file('setup.json'), `--k=${half}`, '--over', 'half width', '--direction', 'undistorted to distorted']).json();
  expect(typed.distortion).toMatchObject({ model: 'radial' });
  expect(typed.distortion.k[0]).toBeCloseTo(-0.1, 4);
  for (const [args, why] of [
    [[file('map.exr')], /--way is needed|way/],
    [['--k=-0.1'], /over/],
    [['--k=-0.1', '--over', 'inches', '--direction', 'undistorted to distorted'], /inches is not known/],
    [[file('plate.png'), '--way', 'undistorts'], /neither OpenEXR nor TIFF/],
    [[], /give one file, or --k/],
  ] as const)
    expect(mesure(['lens', ...args, '--setup', file('setup.json')])).toMatchObject({ code: 2, err: expect.stringMatching(why) });
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

test('a witness is solved with the main camera, and how it sat is compared with what was noted', () => {
  const sensor = { sensorWidthMm: 24, sensorHeightMm: 13.5 };
  const [main, side] = [{ widthPx: 1920, heightPx: 1080, focalMm: 28, ...sensor }, { widthPx: 1280, heightPx: 720, focalMm: 18, ...sensor }]; // prettier-ignore
  const pair = carriedPair({ main, witness: side, frames: 30, path: (t) => [-0.8 + 1.6 * t, 1.5 + 0.2 * t, 1], aim: (t) => [Math.sin(3 * t), 1 + 0.4 * t, -4], rig: { at: [-0.2, 0.1, 0], axes: rigAxes(0.6, 0) }, points: pairRoom(8), shift: 7, noisePx: 0.3, seed: 8 }); // prettier-ignore
  const write = (name: string, tracks: typeof pair.witness, of: RegExp) =>
    writeFileSync(file(name), ['track,frame,x,y', ...tracks.filter((t) => of.test(t.track)).map((t) => `${t.track},${t.frame},${t.x},${t.y}`)].join('\n'));
  write('main.csv', pair.main.tracks, /^[fM]/);
  write('side.csv', pair.witness, /^[gM]/);
  const setup = (c: typeof main, anchors: object) => ({
    image: { width: c.widthPx, height: c.heightPx },
    sensor: { widthMm: 24, heightMm: 13.5 },
    focal: { mode: 'held', mm: c.focalMm },
    distortion: { mode: 'none' },
    anchors,
  });
  const [p, q] = ['M1', 'M2'].map((id) => pairRoom(8).find((r) => r.id === id)!.at);
  writeFileSync(file('main.json'), JSON.stringify(setup(main, { lengths: [{ a: 'M1', b: 'M2', m: Math.hypot(...p.map((v, k) => v - q[k])), sigmaM: 0.001 }] })));
  writeFileSync(file('side.json'), JSON.stringify(setup(side, {})));
  const args = ['solve', file('main.csv'), '--setup', file('main.json'), '--witness', file('side.csv'), '--witness-setup', file('side.json')];
  const r = mesure([...args, '--shift', '7', '--same', 'M1,M2,M3,M4', '--mounted=-0.2,0.1,0,34.4,0']);
  expect(r.code).toBe(0);
  const { witness } = r.json() as { witness: { translation: number[]; sigmaM: number } };
  expect(Math.hypot(witness.translation[0] + 0.2, witness.translation[1] - 0.1, witness.translation[2])).toBeLessThan(5 * witness.sigmaM);
  expect(mesure([...args, '--shift', '900']).json()).toMatchObject({ status: 'failed', reason: expect.stringMatching(/ran together/) });
  expect(mesure([...args, '--shift', 'soon'])).toMatchObject({ code: 2, err: expect.stringContaining('must be a number') });
  expect(mesure([...args, '--mounted', '1,2'])).toMatchObject({ code: 2, err: expect.stringContaining('five numbers') });
  expect(mesure(['solve', file('main.csv'), '--setup', file('main.json'), '--shift', '7'])).toMatchObject({ code: 2, err: expect.stringContaining('--witness gives') });
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
  // the same move as another program would write it: other names, another order, decimal commas, a column that nobody wants
  const cells = csv.out.trim().split('\n').map((l) => l.split(',')); // prettier-ignore
  const order = ['qw', 'qx', 'qy', 'qz', 'frame', 'x', 'y', 'z', 'focal_mm'].map((h) => cells[0].indexOf(h));
  const foreign = cells.map((row, i) => ['-', ...order.map((k) => (i === 0 ? `c${k}` : row[k].replace('.', ',')))].join(';'));
  writeFileSync(file('move.csv'), csv.out);
  writeFileSync(file('foreign.txt'), foreign.join('\n'));
  const known = mesure(['reconcile', '--setup', file('setup.json'), file('move.csv')]);
  const said = mesure(['reconcile', '--setup', file('setup.json'), file('foreign.txt'), '--columns', '_,qw,qx,qy,qz,frame,x,y,z,focal_mm']);
  expect([known.code, said.code]).toEqual([0, 0]);
  expect(said.json().items).toEqual(known.json().items);
  expect(mesure(['reconcile', '--setup', file('setup.json'), file('foreign.txt'), '--columns', 'auto'])).toMatchObject({ code: 2, err: expect.stringContaining('no column holds frame, x, y, z') });
  expect(mesure(['reconcile', '--setup', file('setup.json'), file('foreign.txt'), '--columns', 'frame,x'])).toMatchObject({ code: 2, err: expect.stringMatching(/names 2 columns, .* has 10/) });
  writeFileSync(file('angles.csv'), 'frame,x,y,z,rx,ry,rz\n1,0,1,0,0.1,1.5,0\n2,0.1,1,0,0.1,1.6,0\n');
  const angles = ['reconcile', '--setup', file('setup.json'), file('angles.csv'), '--columns', 'auto', '--turns', 'ZXY'];
  expect(mesure(angles)).toMatchObject({ code: 2, err: expect.stringContaining('may be degrees or radians: say --turns-in') });
  expect(mesure([...angles, '--turns-in', 'radians']).code).toBe(0);
  // a rate that nobody gave is said to be assumed
  expect(mesure(['export', file('solve.json'), '--to', 'gltf', '--out', file('take.glb')])).toMatchObject({ code: 0, err: expect.stringContaining('this was assumed') });
  expect(readFileSync(file('take.glb')).subarray(0, 4).toString()).toBe('glTF');
  const z = mesure(['export', file('solve.json'), '--to', 'csv', '--unit', 'cm', '--up', 'Z', '--add-frames', '1000'])
    .out.split('\n')
    .map((l) => l.split(','));
  const y = csv.out.split('\n').map((l) => l.split(','));
  const [frame, x, up] = ['frame', 'x', 'z'].map((h) => z[0].indexOf(h));
  expect(Number(z[1][frame])).toBe(Number(y[1][frame]) + 1000);
  expect(Number(z[1][x])).toBeCloseTo(100 * Number(y[1][y[0].indexOf('x')]), 6);
  expect(Number(z[1][up])).toBeCloseTo(100 * Number(y[1][y[0].indexOf('y')]), 6);
  expect(mesure(['export', file('solve.json'), '--to', 'gltf', '--unit', 'cm'])).toMatchObject({ code: 2, err: expect.stringContaining('metres with Y up, as glTF has it') });
  expect(mesure(['export', file('solve.json'), '--to', 'csv', '--up', 'X'])).toMatchObject({ code: 2, err: expect.stringContaining('one of Y, Z') });
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
  writeFileSync(file('named.csv'), readFileSync(file('tracks.csv'), 'utf8').replace(/^[^\n]*/, (h) => h.replace('track', 'Point').replace('frame', 'Fr'))); // prettier-ignore
  expect(mesure(['solve', file('named.csv'), '--setup', file('setup.json')])).toMatchObject({ code: 2, err: expect.stringContaining('no column "track"') });
  expect(mesure(['solve', file('named.csv'), '--setup', file('setup.json'), '--columns', 'auto']).json().focalMm).toBe(right.focalMm);
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
