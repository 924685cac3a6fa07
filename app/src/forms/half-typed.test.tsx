import type { StoredRecord } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import type { ReactElement } from 'react';
import { BulkSheet } from '../features/floor/day/bulk-sheet';
import { NewFact } from '../features/floor/net/new-fact';
import { NewTie } from '../features/floor/net/new-tie';
import { KitScreen } from '../features/kit/kit-screen';
import { NewPlates } from '../features/kit/lensbook/new-plates';
import { ChartScreen } from '../features/kit/lensbook/chart-screen';
import { PartScreen } from '../features/kit/part-screen';
import { MarkSheet } from '../features/setups/mark-sheet';
import { ShotListScreen } from '../features/setups/shot-list-screen';
import { changeElsewhere, dayRecords, FakeServer, ID, open, reopen, settle } from '../features/test-day';

const none = () => undefined;
const take = dayRecords().find((r) => r.kind === 'take') as StoredRecord<'take'>;
const pack = dayRecords().find((r) => r.kind === 'package') as StoredRecord<'package'>;
const set = dayRecords().find((r) => r.kind === 'set') as StoredRecord<'set'>;
const valueOf = (id: string) => screen.getByTestId(id).props.value as string;
const type = (id: string, text: string) => fireEvent.changeText(screen.getByTestId(id), text);

describe('what stands half typed when the page goes away is there when it comes back, and says so', () => {
  test.each<[string, ReactElement, string, string, boolean]>([
    ['a tie', <NewTie key="tie" setId={ID.set} onClose={none} />, 'tie-to', 'Door left', true],
    ['a fact of a mark', <NewFact key="fact" setId={ID.set} onClose={none} />, 'fact-mark-1', 'Lamp', true],
    ['another name of a mark', <MarkSheet key="mark" set={set} mark="K1" onClose={none} />, 'mark-new-name', 'K1 low', false],
    ['a correction of many takes', <BulkSheet key="bulk" from={take} onClose={none} />, 'bulk-value', '2,5', true],
    ['a chart', <ChartScreen key="chart" packageId={ID.pack} />, 'maker-distance', '2,35 m', false],
    ['new grid plates', <NewPlates key="plates" files={[]} record={pack} last={undefined} onClose={none} />, 'chart-distance', '2,4', true],
    ['a shot list', <ShotListScreen key="list" />, 'paste-list', 'scene\tslate\n12\t12A', false],
    ['a lens', <PartScreen key="part" partId={ID.lens} />, 'part-name', 'Orrinel 32 second', true],
    ['what is on a camera', <KitScreen key="kit" packageId={ID.pack} />, 'package-focal', '3', true],
  ])('%s', async (_what, form, field, text, told) => {
    const server = new FakeServer();
    await open(form, server);
    if (field === 'bulk-value') fireEvent.press(screen.getAllByRole('radio', { name: /^focus/i })[0]);
    expect(screen.queryByTestId('came-back')).toBeNull();
    type(field, text);
    await settle(2);
    screen.unmount();
    await reopen(form, server);
    expect(valueOf(field)).toBe(text);
    if (told) expect(screen.getByTestId('came-back')).toBeTruthy();
    // nothing of it was kept
    expect([...server.records.values()].filter((r) => r.version > 1)).toEqual([]);
  });
});

test('a tie that is kept leaves nothing behind: the next one begins empty', async () => {
  const server = new FakeServer();
  await open(<NewTie setId={ID.set} onClose={none} />, server);
  type('tie-from', 'K1');
  type('tie-to', 'Door');
  type('length-field', '2.4 m');
  fireEvent(screen.getByTestId('length-field'), 'blur');
  await settle(2);
  fireEvent.press(screen.getByTestId('save-tie'));
  await settle();
  expect([...server.records.values()].filter((r) => r.kind === 'tie')).toMatchObject([{ body: { to: 'Door', length: { valueM: 2.4 } } }]);
  screen.unmount();
  await reopen(<NewTie setId={ID.set} onClose={none} />, server);
  expect(screen.queryByTestId('came-back')).toBeNull();
  expect([valueOf('tie-from'), valueOf('tie-to'), valueOf('length-field')]).not.toContain('Door');
  expect(valueOf('length-field')).toBe('');
});

describe('two at one record, one of them with a page that went away', () => {
  test('a lens: what the other changed meanwhile stays, what was typed here is kept beside it', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.lens} />, server);
    type('part-name', 'Orrinel 32, scratched');
    await settle(2);
    screen.unmount();
    changeElsewhere(server, 'lens', ID.lens, { serial: '0418' });
    await reopen(<PartScreen partId={ID.lens} />, server);
    expect(valueOf('part-name')).toBe('Orrinel 32, scratched');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle(20);
    expect(server.records.get(ID.lens)).toMatchObject({ body: { name: 'Orrinel 32, scratched', serial: '0418' } });
  });
  test('a body: a mode that the other added stays when a mode that was renamed here is saved', async () => {
    const server = new FakeServer();
    await open(<PartScreen partId={ID.body} />, server);
    type('mode-name', 'open gate 4K');
    await settle(2);
    screen.unmount();
    const { modes } = (server.records.get(ID.body) as StoredRecord<'body'>).body;
    changeElsewhere(server, 'body', ID.body, { modes: [...modes, { ...modes[0], id: '00000000-0000-4000-8000-000000000055', name: 'anamorphic' }] });
    await reopen(<PartScreen partId={ID.body} />, server);
    expect(valueOf('mode-name')).toBe('open gate 4K');
    fireEvent.press(screen.getByTestId('save-part'));
    await settle(20);
    expect((server.records.get(ID.body) as StoredRecord<'body'>).body.modes.map((m) => m.name)).toEqual(['open gate 4K', 'windowed', 'anamorphic']);
  });
});
