import { fireEvent, screen } from '@testing-library/react-native';
import type { RecordBodies } from '@mesure/contract';
import { FakeServer, ID, open, plannedBody, record, settle } from '../../test-day';
import { FloorScreen } from '../floor-screen';

const planned = (change: Partial<RecordBodies['plan']>) => plannedBody({ exterior: true, lightPlanned: true, ...change });

test('what was shot is logged with one tap, with the sun of that minute; the list of what is missing shrinks', async () => {
  const server = new FakeServer();
  const light = { latitudeDeg: 52, longitudeDeg: 5, northDeg: 0, from: '2026-06-21T08:00:00.000Z', to: '2026-06-21T16:00:00.000Z' };
  server.records.set('plan', record('plan', 'plan', planned({ light, panoramas: [{ xM: 0, zM: 0, heightM: 1.2 }] })));
  await open(<FloorScreen setupId={ID.setup} />, server);
  expect(screen.getByTestId('sun-now')).toHaveTextContent(/Sun now: \d+° from north, \d+° high|The sun is \d+° below the horizon/);
  expect(screen.getByTestId('lack-41-light')).toHaveTextContent(/light reference: grey ball, mirror ball, panorama 1/);
  fireEvent.press(screen.getByTestId('shot-grey-ball'));
  await settle();
  fireEvent.press(screen.getByTestId('shot-panorama-1'));
  await settle();
  const shots = [...server.records.values()].filter((r) => r.kind === 'light').map((r) => r.body as RecordBodies['light']);
  expect(shots.map((s) => [s.what, s.place])).toEqual([
    ['grey ball', null],
    ['panorama', 0],
  ]);
  for (const s of shots) expect(s.sun!.elevationDeg).toBeGreaterThan(-90);
  expect(screen.getByTestId('lack-41-light')).toHaveTextContent(/light reference: mirror ball$/);
  fireEvent.press(screen.getByLabelText(/^Remove grey ball of/));
  await settle();
  expect(screen.getByTestId('lack-41-light')).toHaveTextContent(/light reference: grey ball, mirror ball$/);
});

test('without a place the sun is not guessed; without a planned light reference nothing is asked for', async () => {
  const server = new FakeServer();
  server.records.set('plan', record('plan', 'plan', planned({})));
  await open(<FloorScreen setupId={ID.setup} />, server);
  expect(screen.getByTestId('sun-now')).toHaveTextContent(/Where the set lies is not known/);
  fireEvent.press(screen.getByTestId('shot-mirror-ball'));
  await settle();
  expect([...server.records.values()].find((r) => r.kind === 'light')!.body).toMatchObject({ what: 'mirror ball', sun: null });
  screen.unmount();
  const other = new FakeServer();
  other.records.set('plan', record('plan', 'plan', planned({ lightPlanned: false })));
  await open(<FloorScreen setupId={ID.setup} />, other);
  expect(screen.queryByTestId('sun-now')).toBeNull();
});
