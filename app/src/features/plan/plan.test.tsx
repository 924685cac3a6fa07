import type { PlanBody, RecordBodies } from '@mesure/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react-native';
import { changeElsewhere, ID, listen, open, reopen, seen, settle } from '../test-day';
import { PlanScreen } from './plan-screen';
import { drag, kept, keptSet, planBody, server, setBody, SHEET, show, WALL } from './test-plan';

/** A forecast comes a moment after the last change, later on a busy machine. */
const LATER = { timeout: 15_000 };

test('a setup without a plan begins one with the mounted camera', async () => {
  const s = server(null, setBody({ pieces: [], sheet: [] }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  expect(seen('Not planned yet')).toBe(true);
  fireEvent.press(screen.getByTestId('begin-plan'));
  await settle(30);
  const plan = [...s.records.values()].find((r) => r.kind === 'plan')!.body as PlanBody;
  expect(plan).toMatchObject({ setupId: ID.setup, packageId: ID.pack, move: { kind: 'dolly' } });
  // nothing stands there yet: said as what is missing, not as a crash
  expect(screen.getByTestId('caution-too few to track')).toBeTruthy();
  await waitFor(() => expect(screen.getByTestId('forecast-sentence')).toHaveTextContent(/Cannot be solved/), LATER);
  show('set');
  fireEvent.changeText(screen.getByTestId('recce-Far'), '6.5');
  fireEvent.press(screen.getByTestId('recce'));
  await settle(30);
  expect(keptSet(s).pieces!.map((q) => q.name)).toEqual(['Floor', 'Near', 'Middle', 'Far']);
  expect(plan.move.stations[0].zM - keptSet(s).pieces![3].zM).toBeCloseTo(6.5, 9);
  await waitFor(() => expect(screen.getByTestId('forecast-sentence')).toHaveTextContent(/scale not observable.*slips/i), LATER);
});

test('cautions stand with number and limit; a remedy is one tap and can be undone', async () => {
  const s = server(
    planBody({
      move: {
        kind: 'dolly',
        stations: [
          { ...planBody().move.stations[0], xM: -2 },
          { ...planBody().move.stations[1], timeS: 3, xM: 2 },
        ],
      },
    }),
  );
  await open(<PlanScreen setupId={ID.setup} />, s);
  const blur = within(screen.getByTestId('caution-motion blur'));
  expect(blur.getByText(/smears over/)).toBeTruthy();
  const remaining = () => Number(/^\d+/.exec(String(screen.getAllByText(/^\d+$/)[0].props.children))![0]);
  const before = remaining();
  fireEvent.press(blur.getByTestId('remedy-motion blur'));
  await settle(20);
  expect(screen.queryByTestId('caution-motion blur')).toBeNull();
  expect(kept(s).shutterDeg).toBeLessThan(180);
  expect(remaining()).toBe(before - 1);
});

test('a caution is taken note of only with a reason, stays visible, and can be opened again', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  fireEvent.press(screen.getByTestId('note-stabiliser'));
  fireEvent.press(screen.getByTestId('note-keep'));
  expect(seen(/Say why it may stay/)).toBe(true);
  fireEvent.changeText(screen.getByTestId('note-reason'), 'Old lens, it has none');
  fireEvent.press(screen.getByTestId('note-keep'));
  await settle(20);
  expect(kept(s).answered).toMatchObject([{ rule: 'stabiliser', reason: 'Old lens, it has none', by: 'wrangler' }]);
  expect(within(screen.getByTestId('answered-stabiliser')).getByText(/Old lens/)).toBeTruthy();
  await reopen(<PlanScreen setupId={ID.setup} />, s);
  fireEvent.press(screen.getByRole('button', { name: 'Open it again' }));
  await settle(20);
  expect(kept(s).answered).toEqual([]);
});

test('dragging the camera changes the numbers at once and is kept when let go', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  const from = kept(s).move.stations[0];
  const target = {};
  fireEvent(screen.getByTestId('handle-station:0'), 'pointerDown', { clientX: 100, clientY: 100, currentTarget: target });
  fireEvent(screen.getByTestId('handle-station:0'), 'pointerMove', { clientX: 60, clientY: 100, currentTarget: target });
  await settle(2);
  expect(kept(s).move.stations[0]).toEqual(from); // shown, not kept yet
  fireEvent(screen.getByTestId('handle-station:0'), 'pointerUp', { clientX: 60, clientY: 100, currentTarget: target });
  await settle(20);
  expect(kept(s).move.stations[0].xM).toBeLessThan(from.xM - 0.3);
  expect(kept(s).move.stations[0].zM).toBeCloseTo(from.zM, 2);
  // the keyboard does it too, five centimetres a press
  fireEvent(screen.getByTestId('handle-station:0'), 'keyDown', { key: 'ArrowDown', shiftKey: false, preventDefault: () => undefined });
  await settle(20);
  expect(kept(s).move.stations[0].zM).toBeCloseTo(from.zM + 0.05, 2);
});

test('a piece takes its marks along; a mark on a wall stays on the wall', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  await drag('piece:wall', 0, -30);
  const wall = keptSet(s).pieces!.find((q) => q.id === 'wall')!;
  const moved = wall.zM - WALL.zM;
  expect(moved).toBeLessThan(-0.3);
  expect(keptSet(s).sheet!.find((m) => m.id === 'W1')!.at[2]).toBeCloseTo(-4.948 + moved, 2);
  expect(keptSet(s).sheet!.find((m) => m.id === 'K1')!.at[2]).toBeCloseTo(-2.4, 6);
  await drag('mark:W1', 40, 60);
  const w1 = keptSet(s).sheet!.find((m) => m.id === 'W1')!;
  expect(w1.at[0]).toBeGreaterThan(-1.1);
  expect(w1.at[2]).toBeCloseTo(-4.948 + moved, 2);
});

test('the strip tells each moment; scrubbing changes what is seen', async () => {
  const away = { ...planBody().move.stations[0], headingRad: Math.PI };
  const s = server(planBody({ move: { kind: 'dolly', stations: [planBody().move.stations[0], { ...away, timeS: 4 }] } }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  const strip = screen.getByTestId('strip');
  fireEvent(strip, 'keyDown', { key: 'Home', shiftKey: false, preventDefault: () => undefined });
  expect(screen.getByTestId('strip-words')).toHaveTextContent(/frame 1 of 97, [1-9]\d* marks/);
  fireEvent(strip, 'keyDown', { key: 'End', shiftKey: false, preventDefault: () => undefined });
  expect(screen.getByTestId('strip-words')).toHaveTextContent(/frame 97 of 97, 0 marks and 0 features/);
});

test('marks are laid on a piece, with ids that go on, and refused in words', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('marks');
  fireEvent.press(screen.getByTestId('lay-marks'));
  await settle(20);
  expect(keptSet(s).sheet).toHaveLength(SHEET.length + 12);
  expect(keptSet(s).marks).toContain('M12');
  expect(
    keptSet(s)
      .sheet!.slice(-12)
      .every((m) => m.pieceId === 'wall' && Math.abs(m.at[2] + 4.948) < 1e-6),
  ).toBe(true);
  fireEvent.press(screen.getByRole('radio', { name: 'grid' }));
  fireEvent.changeText(screen.getByTestId('lay-spacing'), '0.01');
  fireEvent.press(screen.getByTestId('lay-marks'));
  await settle();
  expect(seen(/spacing of 0\.01 m is not more than/)).toBe(true);
  expect(keptSet(s).sheet).toHaveLength(SHEET.length + 12);
});

test('what would help is worked out, added with one tap and undone from the record', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('forecast');
  await settle(30);
  await waitFor(() => within(screen.getByTestId('fact-scale')).getByText(/not observable/), LATER);
  fireEvent.press(screen.getByTestId('next-best'));
  await settle(60);
  await waitFor(() => within(screen.getByTestId('help-0')).getByText(/makes scale/), LATER);
  // where they would go stands in the view from above
  expect(seen(/Numbered flags: what would help/)).toBe(true);
  fireEvent.press(screen.getByTestId('add-help-0'));
  await settle(40);
  // reckoned for another setup: it has to be asked again
  expect(screen.getByTestId('next-best')).toBeTruthy();
  expect(kept(s).measures.ties.length + kept(s).measures.level.length).toBeGreaterThan(0);
});

test('a forecast of before a change says so until the one of after it is there', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  const sentence = () => screen.getByTestId('forecast-sentence');
  await waitFor(() => expect(sentence()).toHaveTextContent(/^Focal length ± 1.00 %, scale not observable/), LATER);
  expect(sentence().props['aria-busy']).toBe(false);
  show('measure');
  for (const id of ['K1', 'K2', 'W1']) fireEvent.press(screen.getByRole('checkbox', { name: `Surveyed ${id}` }));
  expect(sentence()).toHaveTextContent(/^Focal length ± 1.00 %, scale not observable/);
  expect(screen.getByTestId('forecast-of')).toHaveTextContent(/before the change/);
  expect(sentence().props['aria-busy']).toBe(true);
  await waitFor(() => expect(sentence()).toHaveTextContent(/scale ± [\d.]+ %/), LATER);
  expect(sentence().props['aria-busy']).toBe(false);
  expect(screen.getByTestId('forecast-of')).toHaveTextContent(/^Forecast$/);
});

test('what others change in the kit while a plan is open is in its numbers', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  await waitFor(() => expect(screen.getByTestId('forecast-sentence')).toHaveTextContent(/^Focal length ± 1.00 %, scale not observable/), LATER);
  const before = screen.getByTestId('strip-words').props.children;
  // the mode was half as wide: the same lens sees half of what it saw
  const { modes } = s.records.get(ID.body)!.body as RecordBodies['body'];
  changeElsewhere(s, 'body', ID.body, { modes: modes.map((m) => (m.id === ID.open ? { ...m, sensorWidthMm: 12, sensorHeightMm: 6.33 } : m)) });
  await listen(s);
  await waitFor(() => expect(screen.getByTestId('strip-words').props.children).not.toBe(before), LATER);
  expect(Number(/(\d+) features/.exec(screen.getByTestId('strip-words').props.children)![1])).toBeLessThan(Number(/(\d+) features/.exec(before)![1]));
});

test('surveyed marks give level and scale by themselves', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('measure');
  for (const id of ['K1', 'K2', 'W1']) {
    fireEvent.press(screen.getByRole('checkbox', { name: `Surveyed ${id}` }));
    await settle();
  }
  expect(kept(s).measures.surveyed!.map((q) => q.id)).toEqual(['K1', 'K2', 'W1']);
  show('forecast');
  await waitFor(() => expect(screen.getByTestId('fact-scale')).not.toHaveTextContent(/not observable/), LATER);
  show('measure');
  fireEvent.press(screen.getByRole('checkbox', { name: 'Surveyed W1' }));
  await settle();
  expect(kept(s).measures.surveyed).toHaveLength(2);
});

test('planned measurements: level marks, a tie by two taps, heights', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('measure');
  for (const id of ['K1', 'K2', 'K3']) {
    fireEvent.press(screen.getByRole('checkbox', { name: `Level mark ${id}` }));
    await settle();
  }
  fireEvent.press(screen.getByRole('checkbox', { name: 'Tie mark K1' }));
  fireEvent.press(screen.getByRole('checkbox', { name: 'Tie mark W2' }));
  await settle();
  fireEvent.press(screen.getByRole('radio', { name: 'start and end' }));
  await settle(20);
  expect(kept(s).measures).toMatchObject({ level: ['K1', 'K2', 'K3'], ties: [{ a: 'K1', b: 'W2' }], heights: [{ timeS: 0 }, { timeS: 5 }] });
  await waitFor(() => expect(screen.getByTestId('forecast-sentence')).toHaveTextContent(/Height ± .* mm.*scale ± .* %/), LATER);
});

test('numbers typed for the move follow at once and are kept on leaving the field; nonsense is not', async () => {
  const s = server(planBody());
  await open(<PlanScreen setupId={ID.setup} />, s);
  show('move');
  const height = screen.getByTestId('station-0-height');
  fireEvent.changeText(height, '2.1');
  expect(kept(s).move.stations[0].heightM).toBe(1.4);
  fireEvent(height, 'blur');
  await settle(20);
  expect(kept(s).move.stations[0].heightM).toBe(2.1);
  fireEvent.changeText(screen.getByTestId('station-1-time'), '-');
  expect(seen(/Enter a number/)).toBe(true);
  fireEvent(screen.getByTestId('station-1-time'), 'blur');
  await settle();
  expect(kept(s).move.stations[1].timeS).toBe(5);
  show('pan');
  await settle(20);
  expect(kept(s).move).toMatchObject({ kind: 'pan', pupilAheadM: 0.1 });
});

test('a package that is gone is said, and nothing breaks', async () => {
  const s = server(planBody({ packageId: '00000000-0000-4000-8000-000000000099' }));
  await open(<PlanScreen setupId={ID.setup} />, s);
  expect(seen(/package of this plan is gone/)).toBe(true);
  show('move');
  fireEvent.press(screen.getByRole('radio', { name: 'A-cam' }));
  await settle(20);
  expect(kept(s).packageId).toBe(ID.pack);
  expect(seen(/package of this plan is gone/)).toBe(false);
});

test('a solver reads the plan and is offered no change', async () => {
  await open(<PlanScreen setupId={ID.setup} />, server(planBody()), 'solver');
  expect(screen.queryByTestId('handle-station:0')).toBeNull();
  expect(screen.queryByTestId('note-stabiliser')).toBeNull();
  show('marks');
  expect(screen.queryByTestId('lay-marks')).toBeNull();
  expect(screen.getByTestId('mark-K1')).toBeTruthy();
});
