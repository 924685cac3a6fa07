import type { RecordBodies, RecordKind, StoredRecord } from '@mesure/contract';
import { fireEvent, screen } from '@testing-library/react-native';
import type { ReactElement } from 'react';
import { DaySheet } from '../features/days/day-sheet';
import { FloorChoices } from '../features/floor/floor-choices';
import { FloorScreen } from '../features/floor/floor-screen';
import { BulkSheet } from '../features/floor/day/bulk-sheet';
import { TakeScreen } from '../features/floor/take/take-screen';
import { KitScreen } from '../features/kit/kit-screen';
import { PartScreen } from '../features/kit/part-screen';
import { PlanScreen } from '../features/plan/plan-screen';
import { PLAN, planBody, setBody, show } from '../features/plan/test-plan';
import { Remarks } from '../features/setups/remarks';
import { changeElsewhere, dayRecords, FakeServer, ID, listen, open, PRODUCTION, record, settle, takeBody } from '../features/test-day';

const none = () => undefined;
const REMARK = '00000000-0000-4000-8000-000000000061';
const SITE = { name: 'The Salt Ferry', fps: 24, lengthUnit: 'm' as const, timeZone: 'UTC', slating: 'scene' as const };
const take = record('take', ID.take, takeBody());
const type = (id: string, text: string) => fireEvent.changeText(screen.getByTestId(id), text);
const leave = (id: string) => fireEvent(screen.getByTestId(id), 'blur');
const press = async (id: string) => {
  fireEvent.press(screen.getByTestId(id));
  await settle();
};

interface Form<K extends RecordKind> {
  form: ReactElement;
  kind: K;
  id: string;
  /** opens what has to be opened and types, without keeping it */
  mine: () => Promise<void> | void;
  /** keeps it */
  keep: () => Promise<void> | void;
  theirs: Partial<RecordBodies[K]>;
  both: object;
  role?: 'owner';
}
const of = <K extends RecordKind>(f: Form<K>): Form<K> => f;

/** Every form that changes what is there: what each of the two entered, and that neither goes. */
const FORMS: Record<string, Form<never>> = {
  'a day': of({
    form: <DaySheet open onClose={none} />,
    kind: 'day',
    id: ID.day,
    mine: async () => {
      fireEvent.press(screen.getByLabelText('Change Day 12'));
      await settle();
      type('day-name', 'Day twelve');
    },
    keep: () => press('keep-day'),
    theirs: { date: '2026-11-25' },
    both: { name: 'Day twelve', date: '2026-11-25' },
    role: 'owner',
  }),
  'a production': of({
    form: <DaySheet open onClose={none} />,
    kind: 'production',
    id: PRODUCTION,
    mine: async () => {
      await press('production-settings');
      type('production-name', 'The Salt Ferry II');
    },
    keep: () => press('keep-production'),
    theirs: { timeZone: 'Europe/Lisbon' },
    both: { name: 'The Salt Ferry II', timeZone: 'Europe/Lisbon' },
    role: 'owner',
  }),
  'a setup': of({
    form: <FloorScreen setupId={ID.setup} />,
    kind: 'setup',
    id: ID.setup,
    mine: async () => {
      fireEvent.press(screen.getByLabelText('Change Dolly past the stove'));
      await settle();
      type('setup-description', 'The boat leaves');
    },
    keep: () => press('keep-setup'),
    theirs: { name: 'Small crane', order: 4 },
    both: { name: 'Small crane', order: 4, description: 'The boat leaves' },
  }),
  'what is noted': of({
    form: <FloorChoices onClose={none} />,
    kind: 'floor',
    id: PRODUCTION,
    mine: none,
    keep: () => press('shows-filter'),
    theirs: { shown: ['clip', 'stop', 'iso'] },
    both: { shown: ['clip', 'stop', 'iso', 'filter'] },
  }),
  'a clip pattern': of({
    form: <FloorChoices onClose={none} />,
    kind: 'floor',
    id: PRODUCTION,
    mine: () => type('pattern-A', 'A007C###'),
    keep: async () => {
      leave('pattern-A');
      await settle();
    },
    theirs: { clips: [{ camera: 'B', pattern: 'B007C###' }] },
    both: {
      clips: [
        { camera: 'B', pattern: 'B007C###' },
        { camera: 'A', pattern: 'A007C###' },
      ],
    },
  }),
  'a line of a take': of({
    form: <TakeScreen takeId={ID.take} />,
    kind: 'take',
    id: ID.take,
    mine: () => type('field-focusM', '2.5 m'),
    keep: async () => {
      leave('field-focusM');
      await settle();
    },
    theirs: { notes: 'lens flare', circled: true },
    both: { focusM: 2.5, notes: 'lens flare', circled: true },
  }),
  'the height of a take': of({
    form: <TakeScreen takeId={ID.take} />,
    kind: 'take',
    id: ID.take,
    mine: () => type('length-field', '1.52 m'),
    keep: async () => {
      leave('length-field');
      await settle();
    },
    theirs: { focusM: 4 },
    both: { focusM: 4, height: { valueM: 1.52 } },
  }),
  'a correction of many takes': of({
    form: <BulkSheet from={take} onClose={none} />,
    kind: 'take',
    id: ID.take,
    mine: async () => {
      fireEvent.press(screen.getAllByRole('radio', { name: /^focus/i })[0]);
      await settle();
      type('bulk-value', '2.5 m');
    },
    keep: () => press('apply-bulk'),
    theirs: { notes: 'lens flare' },
    both: { focusM: 2.5, notes: 'lens flare' },
  }),
  'a lens': of({
    form: <PartScreen partId={ID.lens} />,
    kind: 'lens',
    id: ID.lens,
    mine: () => type('part-name', 'Orrinel 32 second'),
    keep: () => press('save-part'),
    theirs: { serial: '9999' },
    both: { name: 'Orrinel 32 second', serial: '9999' },
  }),
  'a body': of({
    form: <PartScreen partId={ID.body} />,
    kind: 'body',
    id: ID.body,
    mine: () => type('mode-name', 'open gate 4K'),
    keep: () => press('save-part'),
    theirs: { name: 'Tarvik H2, second' },
    both: { name: 'Tarvik H2, second', modes: [{ name: 'open gate 4K' }, { name: 'windowed' }] },
  }),
  'an adapter': of({
    form: <PartScreen partId={ID.reducer} />,
    kind: 'adapter',
    id: ID.reducer,
    mine: () => type('part-name', 'reducer, cleaned'),
    keep: () => press('save-part'),
    theirs: { factor: 0.72 },
    both: { name: 'reducer, cleaned', factor: 0.72 },
  }),
  'what is on a camera': of({
    form: <KitScreen packageId={ID.pack} />,
    kind: 'package',
    id: ID.pack,
    mine: async () => {
      fireEvent.press(screen.getByRole('radio', { name: /Orrinel 24–70/ }));
      type('package-focal', '50');
      await settle();
    },
    keep: () => press('save-package'),
    theirs: { adapterId: ID.reducer },
    both: { lensId: ID.zoom, focalMm: 50, adapterId: ID.reducer },
  }),
  'an offset of a camera': of({
    form: <KitScreen packageId={ID.pack} />,
    kind: 'package',
    id: ID.pack,
    mine: () => type('offset-body-base', '7 cm'),
    keep: async () => {
      leave('offset-body-base');
      await settle();
    },
    theirs: { offsetsM: { 'dolly head': 0.21 }, adapterId: ID.reducer },
    both: { offsetsM: { 'dolly head': 0.21, 'body base': 0.07 }, adapterId: ID.reducer },
  }),
  'a plan': of({
    form: <PlanScreen setupId={ID.setup} />,
    kind: 'plan',
    id: PLAN,
    mine: () => {
      show('move');
      type('plan-stop', '2.8');
    },
    keep: async () => {
      leave('plan-stop');
      await settle(20);
    },
    theirs: { iso: 1600, exterior: true },
    both: { stop: 2.8, iso: 1600, exterior: true },
  }),
  'a part of a set': of({
    form: <PlanScreen setupId={ID.setup} />,
    kind: 'set',
    id: ID.set,
    mine: async () => {
      show('set');
      await press('piece-Back wall');
      type('piece-heightM', '1.9');
    },
    keep: async () => {
      leave('piece-heightM');
      await settle(20);
    },
    theirs: { name: 'Galley, lower deck' },
    both: { name: 'Galley, lower deck', pieces: expect.arrayContaining([expect.objectContaining({ name: 'Back wall', heightM: 1.9 })]) },
  }),
  'an answer to a remark': of({
    form: <Remarks about="take" aboutId={ID.take} />,
    kind: 'remark',
    id: REMARK,
    mine: () => type(`answer-${REMARK}`, 'It was the dolly head.'),
    keep: () => press(`give-answer-${REMARK}`),
    theirs: { text: 'Height seems 4 cm low, or 5.' },
    both: { text: 'Height seems 4 cm low, or 5.', answer: { text: 'It was the dolly head.' } },
  }),
} as never;

const records = (): StoredRecord[] => [
  ...dayRecords().filter((r) => r.kind !== 'set'),
  record('set', ID.set, setBody()),
  record('plan', PLAN, planBody()),
  record('remark', REMARK, { about: 'take', aboutId: ID.take, field: null, text: 'Height seems 4 cm low.', by: 'Ivo Tam', at: '2026-11-23T10:00:00.000Z', answer: null }),
];
const WHEN = { 'who has heard of it': true, 'who has not': false };

describe.each(Object.keys(WHEN) as (keyof typeof WHEN)[])('two at one record: what is typed is kept by one %s yet that the other changed it', (when) => {
  test.each(Object.keys(FORMS))('%s', async (name) => {
    const f = FORMS[name] as unknown as Form<'day'>;
    // both have the production's id; the server in memory has one record an id
    const ofAll = (f.kind as RecordKind) === 'floor' ? record('floor', PRODUCTION, { shown: ['clip', 'stop'], clips: [] }) : record('production', PRODUCTION, SITE);
    const server = new FakeServer([]);
    // written, so that the server knows what each change was begun on
    for (const r of [...records(), ofAll]) server.memory.write(r.kind, r.id, { mutationId: crypto.randomUUID(), baseVersion: 0, body: r.body, deleted: false });
    await open(f.form, server, f.role ?? 'wrangler');
    await f.mine();
    await settle(2);
    changeElsewhere(server, f.kind, f.id, f.theirs);
    if (WHEN[when]) await listen(server);
    await settle(2);
    await f.keep();
    await settle();
    expect(server.records.get(f.id)!.body).toMatchObject(f.both);
    expect(server.records.get(f.id)!.deleted).toBe(false);
  });
});
