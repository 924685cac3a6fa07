import type { RecordBodies, StoredRecord } from '@mesure/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react-native';
import { dayRecords, FakeServer, ID, open, record, seen, settle } from '../../test-day';
import { FloorScreen } from '../floor-screen';
import { NetScreen } from './net-screen';

const saved: { name: string; text: string }[] = [];
const mockSave = (name: string, text: string) => saved.push({ name, text });
jest.mock('../../../ui/save-file', () => ({ saveFile: (name: string, text: string) => mockSave(name, text) }));
beforeEach(() => saved.splice(0));

/** A box of 3 × 2 × 1.5 m: distances by Pythagoras. */
const BOX: Record<string, [number, number, number]> = { A: [0, 0, 0], B: [3, 0, 0], C: [3, 0, -2], D: [0, 0, -2], E: [0, 1.5, 0], F: [3, 1.5, 0], G: [3, 1.5, -2] };
const ids = Object.keys(BOX);
const apart = (p: string, q: string) => Math.hypot(...[0, 1, 2].map((i) => BOX[p][i] - BOX[q][i]));
const uuid = (n: number) => `00000000-0000-4000-8000-${String(9000 + n).padStart(12, '0')}`;
const length = (valueM: number, typed = `${valueM.toFixed(3)} m`, unit: 'm' | 'cm' = 'm') => ({ typed, unit, valueM, toleranceM: 0.004 });
const at = '2026-11-23T09:00:00.000Z';
const tie = (n: number, from: string, to: string, l = length(Number(apart(from, to).toFixed(3)))): StoredRecord =>
  record('tie', uuid(n), { setId: ID.set, from, to, length: l, instrument: 'laser', measuredAt: at });
const ties = () => ids.flatMap((p, i) => ids.slice(i + 1).map((q) => [p, q] as const)).map(([p, q], n) => tie(n, p, q));
const heights = () => ['A', 'B', 'C'].map((id, i) => record('fact', uuid(100 + i), { setId: ID.set, what: 'height', marks: [id], length: length(0), toleranceM: 0.004, measuredAt: at }));
const server = (more: StoredRecord[]) => new FakeServer([...dayRecords().filter((r) => r.kind !== 'tie'), ...more]);
const all = <K extends keyof RecordBodies>(s: FakeServer, kind: K) => [...s.records.values()].filter((r) => r.kind === kind && !r.deleted) as StoredRecord<K>[];
const type = (id: string, text: string) => {
  fireEvent.changeText(screen.getByTestId(id), text);
  fireEvent(screen.getByTestId(id), 'blur');
};

test('places follow from ties and heights, left and right are asked, and the answer is kept', async () => {
  const s = server([...ties(), ...heights()]);
  await open(<NetScreen setupId={ID.setup} />, s);
  await waitFor(() => expect(screen.getByTestId('net-head')).toHaveTextContent(/^7of 7 marks determined$/));
  expect(screen.getByTestId('place-E')).toHaveTextContent(/ 1\.500 /);
  fireEvent.press(within(screen.getByTestId('mirror-question')).getByTestId('turn-left'));
  await settle(20);
  expect((s.records.get(ID.set)!.body as RecordBodies['set']).turn).toMatchObject({ left: true });
  await waitFor(() => expect(screen.queryByTestId('mirror-question')).toBeNull());
  fireEvent.press(screen.getByTestId('net-csv'));
  fireEvent.press(screen.getByTestId('net-ply'));
  expect(saved.map((f) => f.name)).toEqual([expect.stringMatching(/^tape_net_.*\.csv$/), expect.stringMatching(/\.ply$/)]);
  expect(saved[0].text.split('\n')[0]).toBe('id,x,y,z,sigma_x,sigma_y,sigma_z');
  expect(saved[1].text).toMatch(/^ply\nformat ascii 1\.0\n[\s\S]*element vertex 7\n/);
});

test('a mark that fits on two sides of its neighbours is asked for, and the answer is kept', async () => {
  // H stands before the side A, E, D of the box, and nothing ties it to the others
  const H: [number, number, number] = [-1.2, 0.5, -0.8];
  const toH = ['A', 'E', 'D'].map((id, i) => tie(80 + i, 'H', id, length(Number(Math.hypot(...[0, 1, 2].map((k) => BOX[id][k] - H[k])).toFixed(3)))));
  const s = server([...ties(), ...heights(), ...toH]);
  await open(<NetScreen setupId={ID.setup} />, s);
  const question = await waitFor(() => within(screen.getByTestId('side-question-H')));
  expect(question.getByText(/^The lengths to H fit on both sides of the marks at their other ends\. Walk from \w over H to \w: at H, do you turn left or right\?$/)).toBeTruthy();
  fireEvent.press(question.getByTestId('turn-right'));
  await settle(20);
  expect((s.records.get(ID.set)!.body as RecordBodies['set']).sides).toMatchObject([{ id: 'H', answer: 'right' }]);
  await waitFor(() => expect(screen.queryByTestId('side-question-H')).toBeNull());
  // what was said stands with what was measured, and can be taken out again
  fireEvent.press(screen.getByLabelText(/^Remove H stands where the way from \w over it to \w turns right/));
  await settle(20);
  expect((s.records.get(ID.set)!.body as RecordBodies['set']).sides).toEqual([]);
  await waitFor(() => expect(screen.getByTestId('side-question-H')).toBeTruthy());
});

test('a length that was written down in the wrong unit is found, named and can be removed', async () => {
  const inches = (apart('B', 'D') / 0.0254).toFixed(1);
  const list = ties().map((t) =>
    (t.body as RecordBodies['tie']).from === 'B' && (t.body as RecordBodies['tie']).to === 'D' ? tie(50, 'B', 'D', length(Number(inches) / 100, `${inches} cm`, 'cm')) : t,
  );
  const s = server([...list, ...heights()]);
  await open(<NetScreen setupId={ID.setup} />, s);
  await waitFor(() => expect(screen.getByTestId('net-head')).toHaveTextContent(/1 entry contradicts the rest/));
  const suspect = within(screen.getByTestId('suspect-B – D'));
  expect(suspect.getByText(/contradicts the rest: 2\d\d cm too short/)).toBeTruthy();
  expect(suspect.getByText('Perhaps inches were written down as centimetres.')).toBeTruthy();
  fireEvent.press(suspect.getByLabelText(/^Remove B – D/));
  await settle(20);
  expect(all(s, 'tie')).toHaveLength(ties().length - 1);
  await waitFor(() => expect(screen.getByTestId('net-head')).toHaveTextContent(/^7of 7 marks determined$/));
});

test('what is not determined says what is missing, and one more entry determines it', async () => {
  const list = [...ties().filter((t) => (t.body as RecordBodies['tie']).to !== 'G'), tie(60, 'A', 'G'), tie(61, 'B', 'G')];
  const s = server([...list, ...heights()]);
  await open(<NetScreen setupId={ID.setup} />, s);
  await waitFor(() => expect(screen.getByTestId('open-G')).toHaveTextContent(/Missing: one further tie/));
  expect(seen(/an end of it is not determined yet/)).toBe(true);
  fireEvent.press(screen.getByTestId('add-tie'));
  type('tie-from', 'C');
  type('tie-to', 'G');
  type('length-field', '1.5 m');
  fireEvent.press(screen.getByTestId('save-tie'));
  await settle(20);
  await waitFor(() => expect(screen.queryByTestId('open-G')).toBeNull());
  expect(screen.getByTestId('place-G')).toHaveTextContent(/ 1\.5\d\d /);
});

test('a height, a level, a plumb line and a wall are entered and counted', async () => {
  const s = server(ties());
  await open(<NetScreen setupId={ID.setup} />, s);
  await waitFor(() => expect(seen(/Nothing says which way is up/)).toBe(true));
  const enter = async (choice: RegExp, marks: string[], metres?: string) => {
    fireEvent.press(screen.getByTestId('add-fact'));
    fireEvent.press(screen.getByRole('radio', { name: choice }));
    marks.forEach((m, i) => type(`fact-mark-${i + 1}`, m));
    if (metres) type('length-field', metres);
    fireEvent.press(screen.getByTestId('save-fact'));
    await settle(20);
  };
  await enter(/a height/, ['A'], '0.5 m');
  await enter(/one level/, ['A', 'B']);
  await enter(/a plumb line/, ['A', 'E']);
  await enter(/off a wall/, ['D', 'A', 'B'], '2 m');
  expect(
    all(s, 'fact')
      .map((f) => f.body.what)
      .sort(),
  ).toEqual(['height', 'level', 'plumb', 'wall']);
  await waitFor(() => expect(screen.getByTestId('place-E')).toHaveTextContent(/ 2\.000 /));
  expect(seen(/E is straight over A/)).toBe(true);
  expect(seen(/Nothing says which way is up/)).toBe(false);
  fireEvent.press(screen.getByTestId('add-fact'));
  fireEvent.press(screen.getByTestId('save-fact'));
  await settle();
  expect(seen(/Name every mark/)).toBe(true);
});

test('the tie that would help most opens with its marks', async () => {
  const s = server([...ties().filter((_, i) => i % 5 !== 0), ...heights()]);
  await open(<NetScreen setupId={ID.setup} />, s);
  const button = await waitFor(() => screen.getAllByLabelText(/^Measure \w to \w$/)[0]);
  const [, from, to] = /^Measure (\w) to (\w)$/.exec(button.props.accessibilityLabel ?? '')!;
  fireEvent.press(button);
  expect(screen.getByTestId('tie-from').props.value).toBe(from);
  expect(screen.getByTestId('tie-to').props.value).toBe(to);
});

test('an empty net says how to begin; a solver enters nothing; the floor leads there', async () => {
  await open(<NetScreen setupId={ID.setup} />, server([]), 'solver');
  expect(seen(/Begin with three marks that are tied/)).toBe(true);
  expect(screen.queryByTestId('add-tie')).toBeNull();
  screen.unmount();
  await open(<FloorScreen setupId={ID.setup} />, server([]));
  expect(screen.getByTestId('open-net')).toBeTruthy();
});
