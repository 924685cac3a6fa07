import { seededNormal } from '../math';
import { measurePhoto, type PhotoLength } from './measure-photo';
import { setFromPhoto } from './set-from-photo';
import { wordsOf } from '../warnings';

// A camera 1.6 m over the floor, looking 20° down, 3000 × 2000 px with a focal length of 2200 px, written out here by sines and cosines.
const [H, T, F, W, HGT] = [1.6, (20 * Math.PI) / 180, 2200, 3000, 2000];
const px = ([x, y, z]: readonly number[], roll = 0) => {
  const forward = -z * Math.cos(T) - (y - H) * Math.sin(T);
  const down = -(y - H) * Math.cos(T) + z * Math.sin(T);
  const [u, v] = [x / forward, down / forward];
  const [c, s] = [Math.cos(roll), Math.sin(roll)];
  return { x: W / 2 + F * (c * u - s * v), y: HGT / 2 + F * (s * u + c * v) };
};
const ground = (a: number[], b: number[], roll = 0): PhotoLength => ({
  kind: 'ground',
  a: px([a[0], 0, a[1]], roll),
  b: px([b[0], 0, b[1]], roll),
  m: Math.hypot(a[0] - b[0], a[1] - b[1]),
  sigmaM: 0.005,
});
const upright = (a: number[], m: number, roll = 0): PhotoLength => ({ kind: 'upright', a: px([a[0], 0, a[1]], roll), b: px([a[0], m, a[1]], roll), m, sigmaM: 0.005 });
const input = (lengths: PhotoLength[], sigmaFocalShare = 0) => ({ widthPx: W, heightPx: HGT, focalPx: F, sigmaFocalShare, lengths });
const THREE = [ground([-1, -3.5], [0.8, -3.4]), ground([0.8, -3.4], [0.6, -6]), ground([-1, -3.5], [-1.4, -5.2])];

describe('a photo and three lengths', () => {
  it('gives back where it was taken from', () => {
    const m = measurePhoto(input(THREE));
    expect(m.status).toBe('usable');
    expect(m.heightM).toBeCloseTo(1.6, 4);
    expect((m.tiltRad * 180) / Math.PI).toBeCloseTo(-20, 3);
    expect(m.rollRad).toBeCloseTo(0, 4);
    expect(m.ends[1].b[0]).toBeCloseTo(0.6, 3);
    expect(m.ends[1].b[2]).toBeCloseTo(-6, 3);
    m.lengthsM.forEach((v, i) => expect(v).toBeCloseTo(THREE[i].m, 4));
  });
  it('finds a roll of 2°, pulled a little towards level', () => {
    const roll = (2 * Math.PI) / 180;
    const m = measurePhoto(input([ground([-1.2, -3], [1.2, -3], roll), ground([-1.2, -3], [-1, -6], roll), upright([1.2, -4], 2, roll), upright([-1, -5], 1.8, roll)]));
    expect(Math.abs((m.rollRad * 180) / Math.PI)).toBeCloseTo(2, 1);
    expect(m.heightM).toBeCloseTo(1.6, 2);
  });
  it('finds the focal length with something upright in the photo, from a start that is a tenth off', () => {
    const lengths = [...THREE, upright([0.8, -3.4], 1.2), upright([-1.4, -5.2], 2)];
    const m = measurePhoto({ ...input(lengths, 0.1), focalPx: 1.1 * F });
    expect(m.focalPx / F).toBeCloseTo(1, 1);
    expect(Math.abs(m.focalPx - F)).toBeLessThan(3 * m.sigmaFocalPx);
  });
  it('states a sigma that its errors keep to', () => {
    const normal = seededNormal(7);
    const truth = [...THREE, upright([0.8, -3.4], 1.2)];
    let square = 0;
    const N = 60;
    for (let k = 0; k < N; k += 1) {
      const shake = (q: { x: number; y: number }) => ({ x: q.x + 2 * normal(), y: q.y + 2 * normal() });
      const m = measurePhoto(input(truth.map((l) => ({ ...l, a: shake(l.a), b: shake(l.b), m: l.m + 0.005 * normal() }))));
      square += ((m.heightM - 1.6) / m.sigmaHeightM) ** 2;
    }
    // 60 draws scatter by a tenth about one; shared ends are tapped apart, the model carries them so
    expect(Math.sqrt(square / N)).toBeGreaterThan(0.7);
    expect(Math.sqrt(square / N)).toBeLessThan(1.3);
  });
  it('says when a length does not fit, and which', () => {
    const wrong = [...THREE, { ...ground([-0.5, -4], [0.5, -4]), m: 1.6 }, upright([0.8, -3.4], 1.2)];
    const m = measurePhoto(input(wrong));
    expect(m.status).toBe('poor');
    expect(wordsOf(m.warnings).join()).toMatch(/Length 4 comes out as 1\.\d+ m, not 1\.60 m/);
  });
  it('says when the lengths do not fix the camera', () => {
    // three lengths close together far away
    const far = [ground([-0.1, -12], [0.1, -12]), ground([0.1, -12], [0.1, -12.3]), ground([0.3, -12], [0.4, -12.1])];
    const m = measurePhoto(input(far));
    expect(m.status).toBe('poor');
    expect(m.warnings[0].words).toMatch(/do not fix the camera/);
  });
  it('refuses what cannot be, in words', () => {
    expect(() => measurePhoto(input(THREE.slice(0, 2)))).toThrow(/2 lengths of at least three/);
    expect(() => measurePhoto(input([{ ...THREE[0], m: 0 }, ...THREE.slice(1)]))).toThrow(/Length 1 is 0/);
    expect(() => measurePhoto(input([{ ...THREE[0], b: THREE[0].a }, ...THREE.slice(1)]))).toThrow(/lie on one place/);
    expect(() => measurePhoto({ ...input(THREE), focalPx: 0 })).toThrow(/focal length of 0 px/);
    // ends above any horizon that a level camera could have
    const sky = THREE.map((l) => ({ ...l, a: { x: l.a.x, y: -9000 }, b: { x: l.b.x, y: -9500 } }));
    expect(() => measurePhoto(input(sky))).toThrow(/No camera over a level floor/);
  });
});

test('a set is made of it: a floor, posts, a mark at each end with the ties', () => {
  const lengths = [...THREE, upright([0.8, -3.4], 1.2)];
  const set = setFromPhoto(lengths, measurePhoto(input(lengths)), ['P1']);
  expect(set.pieces.map((q) => q.kind)).toEqual(['floor', 'post']);
  expect(set.pieces[1]).toMatchObject({ heightM: 1.2 });
  // five different ends: three lengths share two of them, the post stands on one
  expect(set.marks.map((m) => m.id)).toEqual(['P2', 'P3', 'P4', 'P5']);
  expect(set.ties.map((t) => `${t.a}-${t.b}`)).toEqual(['P2-P3', 'P3-P4', 'P2-P5']);
  expect(set.station.heightM).toBeCloseTo(1.6, 3);
  expect(set.pieces[0].widthM).toBeCloseTo(2.2 + 2, 2);
});
