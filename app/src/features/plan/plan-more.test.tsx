import { fireEvent, screen, within } from '@testing-library/react-native';
import { FloorScreen } from '../floor/floor-screen';
import { ID, open, pushed, record, reopen, seen, settle, stillBody } from '../test-day';
import { GuidelineScreen } from './guideline-screen';
import { PlanScreen } from './plan-screen';
import { drag, kept, keptSet, planBody, server, setBody, SHEET, show } from './test-plan';

const saved: { name: string; bytes: Uint8Array }[] = [];
const mockSave = (name: string, bytes: Uint8Array) => saved.push({ name, bytes });
jest.mock('../../ui/save-file', () => ({ saveFile: (name: string, bytes: Uint8Array) => mockSave(name, bytes) }));
jest.mock('../../printing', () => ({ sheetWriters: async () => require('../../printing/writers') }));
jest.mock('../../ui/pdf-fonts', () => ({ pdfFonts: async () => require('@mesure/formats/node-pdf-fonts').nodePdfFonts() }));
beforeEach(() => saved.splice(0));
const isPdf = (bytes: Uint8Array) => String.fromCharCode(...bytes.slice(0, 5)) === '%PDF-';

test('the marks are printed to scale, the sheet as a table', async () => {
  const s = server(planBody(), setBody({ sheet: [...SHEET, { ...SHEET[0], id: 'B1', kind: 'ball' }] }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('marks');
  fireEvent.press(screen.getByTestId('print-marks'));
  await settle(30);
  expect(seen(/Not printed: B1 \(a ball is no print\)/)).toBe(true);
  fireEvent.press(screen.getByTestId('print-sheet'));
  await settle(30);
  expect(saved.map((f) => f.name)).toEqual(['marks_Galley.pdf', 'mark_sheet_Galley.pdf']);
  expect(saved.every((f) => isPdf(f.bytes))).toBe(true);
});

test('the guideline sheet tells camera, production and wrangler what the plan says, and leaves as PDF', async () => {
  const s = server(planBody({ shutterDeg: 172 }));
  await open(<GuidelineScreen setupId={ID.setup} />, s);
  expect(seen(/Shutter 172° at 24 frames a second/)).toBe(true);
  expect(seen(/untouched: Floor, Back wall/)).toBe(true);
  expect(seen(/still to be placed: K1, K2, K3, W1, W2/)).toBe(true);
  fireEvent.press(screen.getByTestId('print-guidelines'));
  await settle(30);
  expect(saved).toHaveLength(1);
  expect(saved[0].name).toBe('guidelines_41.pdf');
  expect(isPdf(saved[0].bytes)).toBe(true);
});

test('a setup without a plan has no guideline sheet, and says so', async () => {
  await open(<GuidelineScreen setupId={ID.setup} />, server(null));
  expect(seen(/comes from the plan of a setup/)).toBe(true);
});

test('a stills walk is laid from what is to be covered, checked against the marks, and ticked off on the floor too', async () => {
  const s = server(planBody());
  // one picture is there before the walk is laid
  s.records.set('s1', record('still', 's1', stillBody()));
  await open(<PlanScreen setupId={ID.setup} />, s);
  expect(screen.getByTestId('caution-stills plan missing')).toBeTruthy();
  show('stills');
  // 24 mm at 32 mm focal length: at 2 m a picture covers 1.5 m; with a quarter overlap 6 m of wall need ⌈4.5 / 1.125⌉ + 1 = 5
  fireEvent.changeText(screen.getByTestId('stills-distance'), '2');
  fireEvent.press(screen.getByTestId('lay-stills'));
  await settle(20);
  expect(kept(s).stills).toMatchObject({ way: 'along', pieceId: 'wall', distanceM: 2, taken: [] });
  expect(kept(s).stills!.stations).toHaveLength(5);
  // with two fifths ⌈4.5 / 0.9⌉ + 1 = 6
  fireEvent.changeText(screen.getByTestId('stills-overlap'), '40');
  fireEvent.press(screen.getByTestId('lay-stills'));
  await settle(20);
  expect(kept(s).stills).toMatchObject({ overlap: 0.4 });
  expect(kept(s).stills!.stations).toHaveLength(6);
  fireEvent.changeText(screen.getByTestId('stills-overlap'), '25');
  fireEvent.press(screen.getByTestId('lay-stills'));
  await settle(20);
  expect(screen.getByTestId('stills-count')).toHaveTextContent('5 pictures, 1 taken.');
  expect(seen(/In fewer than 3 pictures: K1, K2, K3/)).toBe(true);
  show('cautions');
  expect(screen.queryByTestId('caution-stills plan missing')).toBeNull();
  await reopen(<FloorScreen setupId={ID.setup} />, s);
  expect(seen(/1 of 5 taken/)).toBe(true);
  await reopen(<PlanScreen setupId={ID.setup} />, s);
  show('stills');
  fireEvent.press(screen.getByRole('checkbox', { name: 'Still 2' }));
  await settle(20);
  expect(kept(s).stills!.taken).toEqual([1]);
  expect(screen.getByTestId('stills-count')).toHaveTextContent('5 pictures, 2 taken.');
  expect(screen.getByRole('checkbox', { name: 'Still 1', checked: true }).props.accessibilityState?.disabled ?? screen.getByRole('checkbox', { name: 'Still 1' }).props['aria-disabled']).toBe(true);
});

test('a walk that cannot be is refused in words, and nothing is laid', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('stills');
  fireEvent.changeText(screen.getByTestId('stills-distance'), '0.001');
  fireEvent.press(screen.getByTestId('lay-stills'));
  await settle();
  expect(seen(/pictures would be needed; stand further away/)).toBe(true);
  expect(kept(s).stills ?? null).toBeNull();
});

test('the sun is followed: where it goes, shadows, and the caution that follows from it', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('light');
  fireEvent.press(screen.getByTestId('follow-sun'));
  await settle(20);
  expect(kept(s)).toMatchObject({ exterior: true, light: { latitudeDeg: 52 } });
  const keepAs = async (id: string, text: string) => {
    fireEvent.changeText(screen.getByTestId(id), text);
    fireEvent(screen.getByTestId(id), 'blur');
    await settle(20);
  };
  await keepAs('light-Shot from', '2024-03-20 10:00');
  await keepAs('light-until', '2024-03-20 11:00');
  await keepAs('light-latitudeDeg', '0');
  // on the equator at the equinox the sun goes 15 degrees an hour
  expect(screen.getByTestId('sun-travel')).toHaveTextContent(/15\.0/);
  await keepAs('light-until', 'noon');
  expect(seen(/Date and time, such as/)).toBe(true);
  expect(kept(s).light!.to).toBe('2024-03-20T11:00:00.000Z');
  fireEvent.changeText(screen.getByTestId('bracket-contrast'), '21');
  expect(screen.getByTestId('brackets')).toHaveTextContent(/^7 exposures/);
  fireEvent.changeText(screen.getByTestId('bracket-contrast'), '0');
  expect(screen.getByTestId('brackets')).toHaveTextContent(/must be above 0/);
  show('cautions');
  expect(within(screen.getByTestId('caution-light reference missing')).getByText(/sun goes 15(\.\d+)?°/)).toBeTruthy();
  // a panorama where the camera is focused is a light reference; it is dragged to its place
  show('light');
  fireEvent.press(screen.getByTestId('add-panorama'));
  await settle(20);
  const [{ xM }] = kept(s).panoramas!;
  await drag('panorama:0', 40, 0);
  expect(kept(s).panoramas![0].xM).toBeGreaterThan(xM + 0.3);
  show('cautions');
  expect(screen.queryByTestId('caution-light reference missing')).toBeNull();
});

test('the floor shows what the plan warns of, and what was said to it', async () => {
  const s = server(planBody({ answered: [{ rule: 'no scale', reason: 'Drawings of the set exist', by: 'supervisor', at: '2026-11-23T08:00:00.000Z' }] }));
  await open(<FloorScreen setupId={ID.setup} />, s);
  expect(screen.getByTestId('floor-caution-no scale')).toHaveTextContent(/supervisor: Drawings of the set exist/);
  fireEvent.press(screen.getByRole('button', { name: 'Open the plan' }));
  expect(pushed()).toEqual([`/plan/${ID.setup}`]);
});

test('heights of marks and camera are dragged in the view from the side', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('side');
  await drag('station:1', 0, -40);
  expect(kept(s).move.stations[1].heightM).toBeGreaterThan(1.6);
  await drag('mark:W1', 30, -20);
  const w1 = keptSet(s).sheet!.find((m) => m.id === 'W1')!;
  expect(w1.at[1]).toBeGreaterThan(1.7);
  expect(w1.at[2]).toBeCloseTo(-4.948, 6);
  // a mark of the floor does not rise
  await drag('mark:K1', 0, -40);
  expect(keptSet(s).sheet!.find((m) => m.id === 'K1')!.at[1]).toBeCloseTo(0.001, 9);
});

test('through the camera: what is seen at the moment, with sizes', async () => {
  await open(<PlanScreen setupId={ID.setup} />, server(planBody()));
  show('camera');
  expect(screen.getByLabelText(/Through the camera: \d marks? and \d+ features in the frame, marks of \d+/)).toBeTruthy();
});

test('pieces are added, sized, turned, set moving and removed; each is undone as one change', async () => {
  const s = server(planBody(), setBody({ sheet: SHEET.slice(0, 1) }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('set');
  fireEvent.press(screen.getByTestId('add-person'));
  await settle(20);
  const person = () => keptSet(s).pieces!.find((q) => q.kind === 'person')!;
  expect(person()).toMatchObject({ name: 'Person', moves: true, heightM: 1.75 });
  fireEvent.changeText(screen.getByTestId('piece-heightM'), '1.9');
  fireEvent(screen.getByTestId('piece-heightM'), 'blur');
  await settle(20);
  expect(person().heightM).toBe(1.9);
  fireEvent.press(screen.getByRole('radio', { name: 'stands still' }));
  await settle(20);
  expect(person().moves).toBe(false);
  fireEvent.press(screen.getByRole('button', { name: 'Remove Person' }));
  await settle(20);
  expect(keptSet(s).pieces!.map((q) => q.kind)).toEqual(['floor', 'wall']);
});

test('a witness camera without sync is a grave caution, mended with one tap', async () => {
  const other = record('package', '00000000-0000-4000-8000-000000000041', { camera: 'B', bodyId: ID.body, modeId: ID.windowed, lensId: ID.lens, adapterId: null, focalMm: 32 });
  const s = server(planBody({ stabiliser: 'off' }));
  s.records.set(other.id, other);
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('witness');
  fireEvent.press(screen.getByRole('checkbox', { name: 'Witness B-cam' }));
  await settle(20);
  expect(kept(s).witnesses).toEqual([{ packageId: other.id, stabiliser: 'unknown' }]);
  show('cautions');
  // 50 frames a second beside 24
  expect(within(screen.getByTestId('caution-frame rates differ')).getByText(/B-cam runs at 50/)).toBeTruthy();
  fireEvent.press(screen.getByTestId('remedy-no sync'));
  await settle(20);
  expect(screen.queryByTestId('caution-no sync')).toBeNull();
  expect(kept(s).sync).toBe('timecode and clap');
});

test('a witness is placed, dragged and looked through; what both see follows', async () => {
  const other = record('package', '00000000-0000-4000-8000-000000000041', { camera: 'B', bodyId: ID.body, modeId: ID.open, lensId: ID.lens, adapterId: null, focalMm: 32 });
  const s = server({ ...planBody(), witnesses: [{ packageId: other.id, stabiliser: 'off' }], sync: 'timecode and clap' });
  s.records.set(other.id, other);
  await open(<PlanScreen setupId={ID.setup} />, s);
  expect(screen.getByTestId('caution-witness not placed')).toBeTruthy();
  show('witness');
  fireEvent.press(screen.getByRole('radio', { name: 'standing on the set' }));
  await settle(20);
  expect(kept(s).witnesses![0].placement).toMatchObject({ way: 'free' });
  expect(screen.getByTestId('B-cam-angle')).toHaveTextContent(/5\d °/);
  expect(screen.getByTestId('B-cam-marks')).toHaveTextContent(/Marks that both see: .*K1/);
  const before = kept(s).witnesses![0].placement as { xM: number };
  await drag(`witness:${other.id}`, -40, 0);
  expect((kept(s).witnesses![0].placement as { xM: number }).xM).toBeLessThan(before.xM - 0.3);
  // rigid, 150 mm above: it sees nearly the same, and rays hardly meet
  fireEvent.press(screen.getByRole('radio', { name: 'rigid to the camera' }));
  await settle(20);
  expect(screen.getByTestId('B-cam-overlap')).toHaveTextContent(/8\d %/);
  const up = screen.getByTestId('B-cam-Above it');
  fireEvent.changeText(up, '150');
  fireEvent(up, 'blur');
  await settle(20);
  expect(kept(s).witnesses![0].placement).toMatchObject({ way: 'rigid', upM: 0.15 });
  show('camera');
  fireEvent.press(screen.getByRole('radio', { name: 'B-cam' }));
  expect(screen.getAllByText(/^Through B-cam: \d marks/).length).toBeGreaterThan(0);
});

test('an object before a still camera takes a piece and its way', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('set');
  fireEvent.press(screen.getByTestId('add-box'));
  await settle(20);
  show('move');
  fireEvent.press(screen.getByRole('radio', { name: 'object before a still camera' }));
  await settle(20);
  const { move } = kept(s);
  expect(move).toMatchObject({ kind: 'object', objectId: keptSet(s).pieces!.find((q) => q.kind === 'box')!.id });
  expect(move.objectStations).toHaveLength(2);
  show('cautions');
  expect(screen.getByTestId('caution-object without a length')).toBeTruthy();
});

test('marks over the move: sizes, spread and depth at the moment that is scrubbed', async () => {
  await open(<PlanScreen setupId={ID.setup} />, server(planBody()));
  show('marks');
  // 20 mm some four to five metres away at 32 mm on 24: 20 to 30 px
  expect(seen(/^\d\d to \d\d px now$/)).toBe(true);
  expect(seen(/^\d+ % of the cells now$/)).toBe(true);
  expect(screen.getByLabelText(/^Depth of what is seen.*: 0\.\d+ now$/)).toBeTruthy();
});

test('a set is laid from distances only when there is one', async () => {
  const s = server(planBody(), setBody({ pieces: [], sheet: [], marks: [] }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('set');
  for (const name of ['Near', 'Middle', 'Far']) fireEvent.changeText(screen.getByTestId(`recce-${name}`), '');
  fireEvent.press(screen.getByTestId('recce'));
  await settle();
  expect(seen(/Enter at least one distance/)).toBe(true);
  expect(keptSet(s).pieces).toEqual([]);
  fireEvent.changeText(screen.getByTestId('recce-Middle'), '5');
  fireEvent.press(screen.getByTestId('recce'));
  await settle(20);
  // one alone closes the view
  expect(keptSet(s).pieces!.map((q) => q.kind)).toEqual(['floor', 'wall']);
});

test('round a thing the step is in degrees, and never wider than twenty', async () => {
  const s = server(planBody(), setBody({ pieces: [...setBody().pieces!, { ...setBody().pieces![1], id: 'box', name: 'Crate', kind: 'box', widthM: 1, depthM: 1, heightM: 1, zM: -3 }] }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('stills');
  fireEvent.press(screen.getByRole('radio', { name: 'round it' }));
  fireEvent.press(screen.getByRole('radio', { name: 'Crate' }));
  for (const [typed, pictures] of [
    ['10', 36],
    ['45', 18],
  ] as const) {
    fireEvent.changeText(screen.getByTestId('stills-every'), typed);
    fireEvent.press(screen.getByTestId('lay-stills'));
    await settle(20);
    expect(kept(s).stills!.stations).toHaveLength(pictures);
  }
});

test('frame lines and the sharp zone are drawn, and said', async () => {
  const s = server(planBody({ stop: 2 }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  expect(seen(/tinted where it is sharp \(\d\.\d m to \d+\.\d m\)/)).toBe(true);
  show('move');
  fireEvent.press(screen.getByRole('radio', { name: '2.39' }));
  await settle(20);
  expect(kept(s).frameAspect).toBe(2.39);
  show('camera');
  expect(seen(/frame lines of 2\.39/)).toBe(true);
  fireEvent.press(screen.getByRole('radio', { name: 'the whole picture' }));
  await settle(20);
  expect(kept(s).frameAspect).toBeNull();
  expect(seen(/frame lines of/)).toBe(false);
});
