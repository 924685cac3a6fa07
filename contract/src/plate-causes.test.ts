import type { PlateFinding } from '@mesure/core';
import { plateCauses, type MountedPackage, type PlateBody, type RecordBodies, type RecordKind, type StoredRecord } from '.';

const record = <K extends RecordKind>(kind: K, id: string, body: RecordBodies[K]): StoredRecord<K> => ({ id, kind, version: 1, deleted: false, body, updatedAt: '', updatedBy: 'w' });
const mode = (id: string, name: string, sensorWidthMm: number) => ({ id, name, widthPx: 4096, heightPx: 2160, sensorWidthMm, sensorHeightMm: sensorWidthMm * 0.5273, fps: 24 });
const body = record('body', 'b', { name: 'Tarvik H2', modes: [mode('open', 'open gate', 24), mode('crop', 'sensor crop', 16.9)] });
const prime = record('lens', 'prime', { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '1' });
const zoom = record('lens', 'zoom', { name: 'Orrinel 24–70', kind: 'zoom', minFocalMm: 24, maxFocalMm: 70, squeeze: 1, serial: '2' });
const reducer = record('adapter', 'r', { name: 'reducer', factor: 0.71 });
const pack = record('package', 'a', { camera: 'A', bodyId: 'b', modeId: 'open', lensId: 'prime', adapterId: null, focalMm: 32 });
const packB = record('package', 'bcam', { camera: 'B', bodyId: 'b', modeId: 'open', lensId: 'prime', adapterId: 'r', focalMm: 32 });
const all: StoredRecord[] = [body, prime, zoom, reducer, pack, packB];
const find = ((kind: string, id: string) => all.find((r) => r.kind === kind && r.id === id)) as never;
const mounted = (change: Partial<MountedPackage> = {}): MountedPackage => ({ pack: pack.body, body: body.body, mode: body.body.modes[0], lens: prime.body, adapter: null, ...change });
const plate = (change: Partial<PlateBody> = {}): PlateBody => ({
  lensId: 'prime',
  packageId: 'a',
  picture: { sha256: 'c'.repeat(64), name: 'g.jpg' },
  focalMm: 32,
  focusM: null,
  cellM: 0.04,
  shotAt: '',
  ...change,
});
const finding = (found: number, change: Partial<PlateFinding> = {}): PlateFinding => ({ from: 'tilt', of: 'focal length', recorded: 32, found, sigma: 0.15, words: '', ...change });

describe('what a plate that speaks against its entries may come from', () => {
  test('a forgotten reducer: the package that carries it first, as one tap; then the adapter of the kit, with its way there', () => {
    const causes = plateCauses(finding(22.74), plate(), mounted(), { packages: [pack, packB], adapters: [reducer], find });
    expect(causes.map((c) => c.change)).toEqual([{ packageId: 'bcam', lensId: 'prime', focalMm: 32 }, null]);
    expect(causes[0].words).toMatch(/It was shot on B-cam: Orrinel 32 with reducer/);
    expect(causes[1].words).toMatch(/reducer \(× 0\.71\) was on the camera, and is not in the package/);
  });
  test('another mode changes the area and not the lens: the same picture at 24 mm wide is 45.4 mm', () => {
    const causes = plateCauses(finding((32 * 24) / 16.9), plate(), mounted(), { packages: [pack], adapters: [reducer], find });
    expect(causes.map((c) => c.words)).toEqual(['The camera was in sensor crop']);
  });
  test('a zoom stood elsewhere, within its range only', () => {
    const at = (found: number) => plateCauses(finding(found), plate({ lensId: 'zoom' }), mounted({ lens: zoom.body }), { packages: [], adapters: [], find });
    expect(at(41.34).find((c) => c.change?.focalMm)).toMatchObject({ change: { focalMm: 41.3 } });
    expect(at(90)).toEqual([]);
  });
  test('an adapter that is recorded and was not there; and nothing where nothing explains it, or the squeeze is meant', () => {
    const with_ = mounted({ adapter: { name: 'reducer', factor: 0.71 } });
    expect(plateCauses(finding(32), plate(), with_, { packages: [], adapters: [reducer], find })[0].words).toBe('reducer was not on the camera');
    expect(plateCauses(finding(27.5), plate(), mounted(), { packages: [pack, packB], adapters: [reducer], find })).toEqual([]);
    expect(plateCauses(finding(1.96, { of: 'squeeze' }), plate(), mounted(), { packages: [pack, packB], adapters: [reducer], find })).toEqual([]);
  });
});
