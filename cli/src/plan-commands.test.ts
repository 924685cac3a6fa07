import { normals, renderStill, roomPanels, seenAt, type Panel, type StillCamera } from '@mesure/synthetic';
import { readFileSync, writeFileSync } from 'node:fs';
import sharp from 'sharp';
import { mesure } from './run-mesure';
import { file, setup } from './test-folder';

// what is planned and measured on the set: forecast, tape nets, stills, sound

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
    // of a lens without a plate a plate would help; with one, half the noise is half the slip
    expect(answer.nextBest.map((n: { kind: string }) => n.kind)).toContain('plate');
    const plated = (noisePx: number) => run(plan({ noisePx, distortion: { mode: 'held', model: 'radial', k: [0, 0, 0] } })).json();
    expect(plated(0.5).slipPx).toBeLessThan(answer.slipPx);
    expect(plated(0.5).nextBest.map((n: { kind: string }) => n.kind)).not.toContain('plate');
    expect(plated(0.25).slipPx / plated(0.5).slipPx).toBeCloseTo(0.5, 6);
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
  test('places of three pictures and more, their lens, and a metre by two marks with a tape between them', async () => {
    const room: Panel[] = [
      ...roomPanels(12, 8, 3, 9),
      { corner: [-1.2, 0.4, -2.2], along: [1.1, 0, 0.4], up: [0, 1.3, 0], pattern: 77 },
      { corner: [0.6, 0.2, -2.9], along: [0.9, 0, -0.3], up: [0, 1.6, 0], pattern: 78 },
    ].map((p): Panel => ({ ...(p as Panel), perM2: 25 }));
    const cameras = Array.from({ length: 5 }, (_, i): StillCamera => {
      const x = -1.1 + 0.5 * i;
      return { at: [x, 1.5 + 0.05 * i, 1 - 0.2 * i], headingRad: Math.atan2(x * 0.5, 3.4), tiltRad: 0.02 * i, widthPx: 960, heightPx: 640, focalPx: 700 };
    });
    const names = await Promise.all(
      cameras.map(async (c, i) => {
        const { widthPx, heightPx, gray } = renderStill(room, c, { noise: 2, seed: i + 1, blurPx: [0.5, 0.5] });
        await sharp(Buffer.from(gray), { raw: { width: widthPx, height: heightPx, channels: 1 } })
          .jpeg({ quality: 92 })
          .toFile(file(`walk_${i}.jpg`));
        return file(`walk_${i}.jpg`);
      }),
    );
    const ends = { m1: [-1.4, 1.2, -4], m2: [1.3, 1.9, -4] } as const;
    const rows = [0, 2, 4].flatMap((i) => Object.entries(ends).map(([id, at]) => `walk_${i}.jpg,${id},${seenAt(cameras[i], at)!.xPx},${seenAt(cameras[i], at)!.yPx}`));
    writeFileSync(file('marks.csv'), ['file,id,x,y', ...rows].join('\n'));
    writeFileSync(file('walk-ties.csv'), `from,to,value,unit\nm1,m2,${Math.hypot(2.7, 0.7)},m\n`);
    // written down a tenth too long
    const r = mesure([
      'stills',
      ...names,
      '--place',
      '--focal',
      '38.5',
      '--sensor',
      '48x32',
      '--marks',
      file('marks.csv'),
      '--ties',
      file('walk-ties.csv'),
      '--csv',
      file('placed.csv'),
      '--ply',
      file('placed.ply'),
    ]);
    expect([r.code, r.json().status, r.json().scaledBy]).toEqual([0, 'solved', 'measured']);
    const [lens] = r.json().lenses as { focalPx: number; sigmaPx: number; recordedPx: number; told: boolean }[];
    expect(lens).toMatchObject({ recordedPx: expect.closeTo(770, 6), told: true });
    expect(Math.abs(lens.focalPx - 700)).toBeLessThan(4 * lens.sigmaPx);
    const placed = r.json().pictures as { position: number[] }[];
    const apart = (p: readonly number[], q: readonly number[]) => Math.hypot(...p.map((v, k) => v - q[k]));
    expect(Math.abs(apart(placed[0].position, placed[4].position) / apart(cameras[0].at, cameras[4].at) - 1)).toBeLessThan(0.03);
    const table = readFileSync(file('placed.csv'), 'utf8').split(/\r?\n/);
    expect(table[0]).toMatch(/^file,station,x,y,z,qx,.*unit,up,why_not$/);
    expect(table[1]).toMatch(/^walk_0\.jpg,.*,m,Y,$/);
    expect(readFileSync(file('placed.ply'), 'utf8')).toMatch(/^ply\nformat ascii 1\.0\ncomment points of the walk, right-handed, metres/);
  });
  test('what is missing to place pictures is said before they are looked at', () => {
    const three = ['a.png', 'b.png', 'c.png'].map(file);
    expect(mesure(['stills', ...three.slice(0, 2), '--place']).err).toMatch(/three pictures at least/);
    expect(mesure(['stills', ...three, '--place']).err).toMatch(/does not say its focal length on 36 × 24 mm/);
    expect(mesure(['stills', ...three, '--place', '--focal', '9']).err).toMatch(/--focal and --sensor go together/);
    expect(mesure(['stills', ...three, '--place', '--focal', '9', '--sensor', '13,8']).err).toMatch(/--sensor 13,8/);
    expect(mesure(['stills', ...three, '--ply', file('x.ply')]).err).toMatch(/--ply goes with --place/);
    writeFileSync(file('stranger.csv'), 'file,id,x,y\nd.png,m1,1,2\n');
    expect(mesure(['stills', ...three, '--place', '--focal', '9', '--sensor', '13x8', '--marks', file('stranger.csv')]).err).toMatch(/d\.png is none of the pictures/);
    writeFileSync(file('twice.csv'), 'file,id,x,y\na.png,m1,1,2\na.png,m1,1,3\n');
    expect(mesure(['stills', ...three, '--place', '--focal', '9', '--sensor', '13x8', '--marks', file('twice.csv')]).err).toMatch(/line 3.*m1 is marked in a\.png already in line 2/);
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
  /** 16 bits, from the layout of the format alone */
  const wavOf = (rateHz: number, channels: readonly Float32Array[]): Buffer => {
    const bytes = Buffer.alloc(44 + 2 * channels.length * channels[0].length);
    bytes.write('RIFF', 0, 'latin1');
    bytes.writeUInt32LE(bytes.length - 8, 4);
    bytes.write('WAVEfmt ', 8, 'latin1');
    bytes.writeUInt32LE(16, 16);
    bytes.writeUInt16LE(1, 20);
    bytes.writeUInt16LE(channels.length, 22);
    bytes.writeUInt32LE(rateHz, 24);
    bytes.writeUInt32LE(2 * channels.length * rateHz, 28);
    bytes.writeUInt16LE(2 * channels.length, 32);
    bytes.writeUInt16LE(16, 34);
    bytes.write('data', 36, 'latin1');
    bytes.writeUInt32LE(bytes.length - 44, 40);
    channels[0].forEach((_v, i) => channels.forEach((c, k) => bytes.writeInt16LE(Math.round(32767 * Math.max(-1, Math.min(1, c[i]))), 44 + 2 * (i * channels.length + k))));
    return bytes;
  };
  const save = (name: string, rateHz: number, ...channels: Float32Array[]) => {
    writeFileSync(file(name), wavOf(rateHz, channels));
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
    expect(mesure(['sync', file('plate.png'), file('plate.png')]).err).toMatch(/plate\.png: cannot be read as a clip/);
    expect(mesure(['sync', file('x.wav')])).toMatchObject({ code: 2, out: '' });
    expect(mesure(['sync', file('x.wav'), file('y.wav'), '--fps', '0']).err).toMatch(/--fps 0/);
  });
});
