import { check, BODY_SCHEMAS } from './schemas';
import { KINDS, marksOf, RECORD_KINDS, renamedMark, type RecordBodies, type RecordKind, type StoredRecord } from '.';

const uuid = (n: number) => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
const AT = '2026-11-26T09:00:00.000Z';
const SET = uuid(1);
const SETUP = uuid(2);
const record = <K extends RecordKind>(kind: K, n: number, body: unknown): StoredRecord<K> => ({
  id: uuid(n),
  kind,
  version: 1,
  deleted: false,
  body: body as RecordBodies[K],
  updatedAt: AT,
  updatedBy: 'w',
});
const length = { typed: '2 m', unit: 'm', valueM: 2, toleranceM: 0.005 };
const tie = (n: number, from: string, to: string) => record('tie', n, { setId: SET, from, to, length, instrument: 'tape', measuredAt: AT });
const fact = (n: number, what: string, marks: string[]) =>
  record('fact', n, { setId: SET, what, marks, length: what === 'height' || what === 'wall' ? length : null, toleranceM: 0.01, measuredAt: AT });
const mark = (id: string) => ({ id, kind: 'cross', diameterM: 0.05, at: [0, 1, 0], normal: null, pieceId: null, ground: 'plain', placed: true });

const set = record('set', 1, {
  name: 'Galley',
  marks: ['K1', 'K2', 'K3'],
  sheet: [mark('K1'), mark('K2')],
  turn: { a: 'K1', b: 'K3', c: 'K4', left: true },
  sides: [
    { id: 'K5', a: 'K1', c: null, answer: 'above' },
    { id: 'K5', a: 'K1', c: 'K2', answer: 'left' },
  ],
});
const records = (): StoredRecord[] => [
  set,
  record('setup', 2, { dayId: uuid(9), setId: SET, name: 'Dolly', scene: '41', order: 1, levelMarks: ['K1', 'K2', 'K3'], originMark: 'K1', headingMarks: ['K1', 'K2'] }),
  record('plan', 3, {
    setupId: SETUP,
    move: { kind: 'dolly', stations: [] },
    measures: {
      level: ['K1', 'K2'],
      levelSigmaM: 0.005,
      ties: [
        { a: 'K1', b: 'K2', sigmaM: 0.002 },
        { a: 'K1', b: 'K3', sigmaM: 0.002 },
        { a: 'K3', b: 'K2', sigmaM: 0.002 },
      ],
      heights: [],
      surveyed: [{ id: 'K1', sigmaM: 0.002 }],
    },
  }),
  record('photo', 4, { setId: SET, picture: { sha256: 'a'.repeat(64), name: 'set.jpg' }, widthPx: 4000, heightPx: 3000, marks: [{ mark: 'K1', x: 10, y: 20 }], shotAt: AT }),
  tie(10, 'K1', 'K2'),
  tie(11, 'K1', 'K3'),
  tie(12, 'K4', 'K3'),
  fact(20, 'height', ['K1']),
  fact(21, 'level', ['K1', 'K2']),
  fact(22, 'wall', ['K1', 'K3', 'K4']),
  // of another set: its K1 is another mark
  record('tie', 13, { setId: uuid(99), from: 'K1', to: 'K2', length, instrument: 'tape', measuredAt: AT }),
  record('setup', 5, { dayId: uuid(9), setId: uuid(99), name: 'Other', scene: '50', order: 1, levelMarks: ['K1'], originMark: null, headingMarks: null }),
];

/** The records as they are after the changes. */
function after(from: string, to: string): Map<string, { body: RecordBodies[RecordKind]; hidden: boolean; kind: RecordKind }> {
  const all = records();
  const changes = new Map(renamedMark(SET, from, to, all).map((c) => [c.id, c]));
  return new Map(all.map((r) => [r.id, { kind: r.kind, hidden: changes.get(r.id)?.hides ?? false, body: changes.get(r.id)?.change(r.body) ?? r.body }]));
}

describe('a mark with another name', () => {
  test('nothing of its set speaks of the old name any more, another set keeps its own, and every body is valid', () => {
    const now = after('K1', 'K9');
    for (const [id, r] of now) {
      const others = id === uuid(13) || id === uuid(5);
      expect([id, JSON.stringify(r.body).includes('"K1"')]).toEqual([id, others]);
      expect(r.hidden).toBe(false);
      if (r.kind !== 'plan') expect([r.kind, check(BODY_SCHEMAS[r.kind] as never, r.body).problems ?? []]).toEqual([r.kind, []]);
    }
    expect(now.get(uuid(2))!.body).toMatchObject({ levelMarks: ['K9', 'K2', 'K3'], originMark: 'K9', headingMarks: ['K9', 'K2'] });
  });

  test('of two that are one what would be between a mark and itself is hidden, all else counts as of the one that stays', () => {
    const now = after('K1', 'K2');
    expect([...now].filter(([, r]) => r.hidden).map(([id]) => id)).toEqual([uuid(10), uuid(21)]);
    expect(now.get(uuid(11))!.body).toMatchObject({ from: 'K2', to: 'K3' });
    expect(now.get(uuid(20))!.body).toMatchObject({ marks: ['K2'] });
    expect(now.get(uuid(2))!.body).toMatchObject({ levelMarks: ['K2', 'K3'], originMark: 'K2', headingMarks: null });
    expect((now.get(SET)!.body as RecordBodies['set']).sheet!.map((m) => m.id)).toEqual(['K2']);
    // one of two planned ties of one pair, and none of a mark to itself
    expect((now.get(uuid(3))!.body as RecordBodies['plan']).measures.ties).toEqual([{ a: 'K2', b: 'K3', sigmaM: 0.002 }]);
    expect((now.get(SET)!.body as RecordBodies['set']).sides).toEqual([{ id: 'K5', a: 'K2', c: null, answer: 'above' }]);
  });

  test('marks pointed out in the clips of that set’s takes follow, those of another set do not; one that is there already stays', () => {
    const clip = (takeId: string) => ({ takeId, file: { sha256: 'a'.repeat(64), name: 'c.mp4' }, widthPx: 640, heightPx: 360, frames: 9, fps: 24, timecode: null, firstFrame: 1, most: null, masks: [], marks: [{ id: uuid(81), name: 'K1', index: 0, x: 1, y: 2 }, { id: uuid(82), name: 'K1', index: 4, x: 3, y: 4 }, { id: uuid(83), name: 'K2', index: 4, x: 5, y: 6 }] }); // prettier-ignore
    const of = (kind: RecordKind, id: string, body: unknown) => ({ ...set, kind, id, body }) as StoredRecord;
    const setupOfSet = records().find((r) => r.kind === 'setup')!;
    const all = [
      ...records(),
      of('take', uuid(70), { setupId: setupOfSet.id }),
      of('take', uuid(71), { setupId: uuid(99) }),
      of('footage', uuid(72), clip(uuid(70))),
      of('footage', uuid(73), clip(uuid(71))),
    ];
    const changes = renamedMark(SET, 'K1', 'K2', all).filter((c) => c.kind === 'footage');
    expect(changes.map((c) => c.id)).toEqual([uuid(72)]);
    const after = changes[0].change(clip(uuid(70)) as never) as RecordBodies['footage'];
    expect(after.marks.map((m) => [m.name, m.index])).toEqual([['K2', 0], ['K2', 4]]); // prettier-ignore
  });

  test('the same name, and none, change nothing', () => {
    expect(renamedMark(SET, 'K1', 'K1', records())).toEqual([]);
    expect(renamedMark(SET, 'K1', ' ', records())).toEqual([]);
    expect(renamedMark(SET, 'K77', 'K78', records())).toEqual([]);
  });

  test('marks that only a tie or a fact speaks of are known too', () => {
    expect(marksOf(set, records())).toEqual(['K1', 'K2', 'K3', 'K4']);
  });

  test('each kind whose schema takes marks says what becomes of it', () => {
    // the check of a mark's name: text of 1 to 40 letters
    const takesMarks = (kind: RecordKind) => /"trim".{0,80}"min","args":{"limit":1}.{0,40}"max","args":{"limit":40}/.test(JSON.stringify(BODY_SCHEMAS[kind].describe()));
    const asked = RECORD_KINDS.filter(takesMarks);
    expect(asked).toEqual(expect.arrayContaining(['set', 'setup', 'tie', 'fact', 'photo', 'plan']));
    expect(asked.filter((k) => !(KINDS[k] as { renamed?: unknown }).renamed)).toEqual([]);
  });
});
