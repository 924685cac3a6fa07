import { isTracksCsv, lookAtTracks, tracksCsvOf, type TrackColumn } from './tracks-table';
import { readTracksCsv } from './tracks-csv';

const taken = (text: string, columns?: (TrackColumn | null)[]) => {
  const table = lookAtTracks(text, 't.txt');
  return readTracksCsv(tracksCsvOf(text, 't.txt', table, columns ?? table.columns), 't.txt').tracks.map((t) => [t.track, t.frame, t.x, t.y, t.weight]);
};

test('a table that is right already is taken as it is', () => {
  expect(isTracksCsv(lookAtTracks('track,frame,x,y\nK1,1,2,3\n', 't.csv'))).toBe(true);
  expect(isTracksCsv(lookAtTracks('name,frame,x,y\nK1,1,2,3\n', 't.csv'))).toBe(false);
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
