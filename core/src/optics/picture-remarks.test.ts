import { pictureRemarks, squeezeFromShape, type PictureNotes } from '.';

const silent: PictureNotes = {
  widthPx: null,
  heightPx: null,
  shotWidthPx: null,
  shotHeightPx: null,
  focalMm: null,
  focal35Mm: null,
  focusM: null,
  body: null,
  lens: null,
  digitalZoom: null,
  shotAt: null,
};
const recorded = { widthPx: 6144, heightPx: 3240, sensorWidthMm: 36, sensorHeightMm: 18.98, focalMm: 32, focusM: 2.5, body: 'Tarvik 6S' };
const said = (notes: Partial<PictureNotes>) => pictureRemarks({ ...silent, ...notes }, recorded).map((r) => `${r.field}: ${r.message}`);

test.each<[string, Partial<PictureNotes>, RegExp | null]>([
  ['another size of another shape', { widthPx: 5760, heightPx: 3240 }, /^size: The picture is 5760 × 3240, the mode says 6144 × 3240\. It is cropped/],
  ['the same shape, smaller', { widthPx: 3072, heightPx: 1620 }, /50\.0 % of its size: resized/],
  ['turned', { widthPx: 3240, heightPx: 6144 }, /turned by a quarter/],
  ['the right size', { widthPx: 6144, heightPx: 3240 }, null],
  ['cropped since', { widthPx: 6144, heightPx: 3240, shotWidthPx: 8192, shotHeightPx: 4320 }, /^crop: The camera wrote 8192 × 4320/],
  ['upright in the file, lying in EXIF', { widthPx: 6144, heightPx: 3240, shotWidthPx: 3240, shotHeightPx: 6144 }, null],
  ['digital zoom', { digitalZoom: 1.5 }, /^crop: The camera enlarged the picture 1\.50 times/],
  ['no digital zoom', { digitalZoom: 1 }, null],
  ['another focal length', { focalMm: 35 }, /^focal: The picture says 35 mm, the plate says 32 mm/],
  ['a focal length that is only rounded', { focalMm: 32.4 }, null],
  ['another focus distance', { focusM: 1.2 }, /^focus: .*1\.20 m.*2\.50 m/],
  ['another sensor', { focalMm: 32, focal35Mm: 51 }, /^sensor: .*crop of 1\.59.*gives 1\.06/],
  ['the same sensor', { focalMm: 32, focal35Mm: 34 }, null],
  ['another body', { body: 'Halvern Q' }, /^body: The picture comes from a Halvern Q, the package says Tarvik 6S/],
  ['the body under its longer name', { body: 'TARVIK-6S Mark' }, null],
])('%s', (_name, notes, expected) => {
  if (expected) expect(said(notes).join('\n')).toMatch(expected);
  else expect(said(notes)).toEqual([]);
});

test('pixels that are shown wider than high belong to a lens that squeezes as much', () => {
  const of = (pixelAspect: number | undefined, squeeze: number | undefined) => pictureRemarks({ ...silent, pixelAspect }, { ...recorded, squeeze }).map((r) => r.message);
  expect(of(2, 2)).toEqual([]);
  expect(of(1.98, 2)).toEqual([]);
  expect(of(undefined, 2)).toEqual([]);
  expect(of(2, undefined)).toEqual([]);
  expect(of(2, 1)).toEqual(['The file shows its pixels 2 times as wide as high, the lens has a squeeze of 1.']);
  expect(of(1.8, 2)).toHaveLength(1);
});

test('squeeze from a circle: higher than wide by the squeeze, pixels that are not square counted in', () => {
  const setup = { image: { width: 4096, height: 3432 }, sensor: { widthMm: 24, heightMm: 20.109 }, focal: { mm: 50 } };
  const found = squeezeFromShape({ widthPx: 300, heightPx: 596 }, setup);
  expect(found.value).toBeCloseTo(596 / 300, 3);
  expect(found.sigma).toBeCloseTo((596 / 300) * Math.hypot(1 / 300, 1 / 596), 4);
  expect(squeezeFromShape({ widthPx: 300, heightPx: 300 }, { ...setup, sensor: { widthMm: 24, heightMm: 2 * 20.109 } }).value).toBeCloseTo(2, 3);
  expect(() => squeezeFromShape({ widthPx: 1, heightPx: 300 }, setup)).toThrow(/larger than 2 px/);
});
