import { isAsRead, lookAtTable, mappedCsv, mappedRows } from './mapped-table';
import { readMoveFile } from './solve-in';
import { LENS_TABLE, MOVE_TABLE, TRACK_TABLE, type MoveColumn, type TrackColumn } from './table-kinds';
import { readTracksCsv } from './tracks-csv';

const taken = (text: string, columns?: (TrackColumn | null)[]) => {
  const table = lookAtTable(text, 't.txt', TRACK_TABLE);
  return readTracksCsv(mappedCsv(text, 't.txt', table, columns ?? table.columns, TRACK_TABLE), 't.txt').tracks.map((t) => [t.track, t.frame, t.x, t.y, t.weight]);
};

test('a table that is right already is taken as it is', () => {
  expect(isAsRead(lookAtTable('track,frame,x,y\nK1,1,2,3\n', 't.csv', TRACK_TABLE), TRACK_TABLE)).toBe(true);
  expect(isAsRead(lookAtTable('name,frame,x,y\nK1,1,2,3\n', 't.csv', TRACK_TABLE), TRACK_TABLE)).toBe(false);
});

test.each([
  ['other names and order', 'Frame No,Point ID,Pos X,Pos Y\n1,K1,2.5,3\n2,K1,3.5,4\n', undefined],
  ['semicolons and decimal commas', 'name;frame;x;y\nK1;1;2,5;3\nK1;2;3,5;4\n', undefined],
  ['tabs', 'marker\tfr\tu\tv\nK1\t1\t2.5\t3\nK1\t2\t3.5\t4\n', undefined],
  ['blanks, no header, a remark', '# made elsewhere\nK1 1  2.5 3\nK1 2  3.5 4\n', ['track', 'frame', 'x', 'y']],
  ['columns that nobody wants', 'id,camera,frame,x,y,z\nK1,A,1,2.5,3,9\nK1,A,2,3.5,4,9\n', undefined],
] as const)('%s', (_what, text, columns) => {
  expect(taken(text, columns as (TrackColumn | null)[] | undefined)).toEqual([
    ['K1', 1, 2.5, 3, 1],
    ['K1', 2, 3.5, 4, 1],
  ]);
});

test('a confidence becomes the weight, and a column that was said otherwise counts', () => {
  expect(taken('id,frame,x,y,confidence\nK1,1,2,3,0.5\nK1,2,2,3,0\n')).toEqual([
    ['K1', 1, 2, 3, 0.5],
    ['K1', 2, 2, 3, 0],
  ]);
  // x and y the wrong way round in the header, put right by hand
  expect(taken('id,frame,x,y\nK1,1,3,2\nK1,2,4,2\n', ['track', 'frame', 'y', 'x'])[0]).toEqual(['K1', 1, 2, 3, 1]);
});

test.each([
  ['one column', 'abc\ndef\n', null, /one column only/],
  ['nothing', '\n', null, /no table of tracks/],
  ['a column that is missing', 'name,frame,x\nK1,1,2\n', null, /no column holds y/],
  ['what is no number', 'name;frame;x;y\nK1;1;2,5;3\nK1;2;wide;4\n', null, /t\.txt, line 3, x: "wide" is not a number/],
  ['a row that ends early', 'name,frame,x,y\nK1,1,2,3\nK1,2,3\n', null, /line 3, y: the row ends after 3 cells/],
])('%s is refused in words', (_what, text, _columns, words) => {
  expect(() => taken(text)).toThrow(words);
});

test('a large table is taken whole', () => {
  const rows = Array.from({ length: 50_000 }, (_, i) => `K${i % 500};${1 + Math.floor(i / 500)};${i % 1920},5;${i % 1080}`);
  expect(taken(`name;frame;x;y\n${rows.join('\n')}\n`)).toHaveLength(50_000);
});

describe('a camera path', () => {
  const asRead = async (text: string, columns?: (MoveColumn | null)[]) => {
    const table = lookAtTable(text, 'c.txt', MOVE_TABLE);
    return readMoveFile(new TextEncoder().encode(mappedCsv(text, 'c.txt', table, columns ?? table.columns, MOVE_TABLE)), 'c.csv', { fps: null, order: 'ZXY' });
  };
  const half = Math.SQRT1_2;

  test.each([
    [
      'a quaternion under other names, semicolons, decimal commas',
      `Frame;Tx;Ty;Tz;Quat X;Quat Y;Quat Z;Quat W;Focal Length (mm)\n7;1,5;2;3;0;${String(half).replace('.', ',')};0;${String(half).replace('.', ',')};32,5\n8;1,6;2;3;0;0;0;1;\n`,
    ],
    [
      'angles, tabs, other columns between',
      'frame\tshutter\ttranslateX\ttranslateY\ttranslateZ\trotateX\trotateY\trotateZ\tfocal\n7\t180\t1.5\t2\t3\t0\t90\t0\t32.5\n8\t180\t1.6\t2\t3\t0\t0\t0\t32.5\n',
    ],
  ])('%s', async (_what, text) => {
    const { frames } = await asRead(text);
    expect(frames.map((f) => [f.frame, ...f.position])).toEqual([
      [7, 1.5, 2, 3],
      [8, 1.6, 2, 3],
    ]);
    [0, half, 0, half].forEach((v, i) => expect(frames[0].rotation[i]).toBeCloseTo(v, 9));
    expect(frames[0].focal).toEqual({ mm: 32.5 });
  });

  test('a quaternion with its real part first, in a table without a header, has its columns said', async () => {
    const text = `7 1.5 2 3 ${half} 0 ${half} 0\n8 1.6 2 3 1 0 0 0\n`;
    const { frames } = await asRead(text, ['frame', 'x', 'y', 'z', 'qw', 'qx', 'qy', 'qz']);
    expect(frames[0].rotation).toEqual([0, half, 0, half]);
    expect(frames[1].rotation).toEqual([0, 0, 0, 1]);
  });

  test.each([
    ['pan, tilt and roll, which nobody said the axes of', 'frame,x,y,z,pan,tilt,roll\n1,0,0,0,1,2,3\n', /no column holds qx, qy, qz, qw/],
    ['two angles', 'frame,x,y,z,rx,ry\n1,0,0,0,1,2\n', /no column holds rz/],
    ['a quaternion that is none', 'frame,x,y,z,qx,qy,qz,qw\n1,0,0,0,10,20,30,1\n', /line 2, qx: a quaternion has the length 1; this one 37\.4/],
    ['frames in seconds', 'frame,x,y,z,qx,qy,qz,qw\n1.04,0,0,0,0,0,0,1\n', /"1\.04" is not a whole number/],
  ])('%s: refused in words', async (_what, text, words) => {
    await expect(asRead(text)).rejects.toThrow(words);
  });
});

test('settings of a lens: what may be missing in a row is missing, a centre is nobody’s guess', () => {
  const text = 'Lens;Focal Length;Focus;K1;K2;cx\nOrrinel;35;1,2 m;-0,09;0,01;960\nOrrinel;50;inf;-0,04;;961\n';
  const table = lookAtTable(text, 'l.csv', LENS_TABLE);
  expect(table.columns).toEqual(['lens', 'focal_mm', 'focus', 'k1', 'k2', null]);
  expect(mappedRows(text, 'l.csv', table, table.columns, LENS_TABLE).rows).toEqual([
    ['Orrinel', '35', '1,2 m', '-0.09', '0.01'],
    ['Orrinel', '50', 'inf', '-0.04', ''],
  ]);
});
