import type { Analysis, HandoverInAnswer, HandoverPlan, Problem, RecordBodies, RecordChange, RecordKind, RecordWrite, Role, SessionInfo, StoredRecord } from '@mesure/contract';
import { createHash } from 'node:crypto';
import { act, fireEvent, render, screen } from '@testing-library/react-native';
import { router } from 'expo-router';
import { useEffect, type ReactElement } from 'react';
import { SafeAreaProvider } from 'react-native-safe-area-context';
import { DataProvider, useData } from '../data';
import { MemoryRecords, SERVER_TIME } from '../../test/memory-records';
import { Theme } from '../ui/theme';

/**
 * A small day for component tests: real stores on a real (in-memory) IndexedDB, and a server that answers `fetch` with the rules of the
 * real one. Everything in it is invented.
 */
export const PRODUCTION = '11111111-1111-4111-8111-111111111111';
const ref = (n: number) => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
export const ID = {
  body: ref(1),
  open: ref(2),
  windowed: ref(3),
  lens: ref(4),
  zoom: ref(5),
  reducer: ref(6),
  pack: ref(7),
  set: ref(8),
  day: ref(9),
  setup: ref(10),
  take: ref(11),
  plate: ref(12),
};
const AT = SERVER_TIME;

export function record<K extends RecordKind>(kind: K, id: string, body: RecordBodies[K]): StoredRecord<K> {
  return { id, kind, version: 1, deleted: false, body, updatedAt: AT, updatedBy: 'wrangler' };
}

export const takeBody = (change: Partial<RecordBodies['take']> = {}): RecordBodies['take'] => ({
  setupId: ID.setup,
  slate: '41A',
  take: 1,
  packageId: ID.pack,
  focalMm: 32,
  focusM: 3,
  height: { typed: '1.4 m', unit: 'm', valueM: 1.4, toleranceM: 0.01, takenAt: 'lens axis', offsetM: 0 },
  heightFrame: 1,
  circled: false,
  notes: '',
  tracks: { sha256: 'a'.repeat(64), name: 'galley.csv' },
  loggedAt: AT,
  carried: [],
  ...change,
});

/** The least that a plan says: a dolly of a metre with the day's package. */
export const plannedBody = (change: Partial<RecordBodies['plan']> = {}): RecordBodies['plan'] => {
  const station = { timeS: 0, xM: 0, zM: 0, heightM: 1.4, headingRad: 0, tiltRad: 0, rollRad: 0, focalMm: 32, focusM: 3 };
  return {
    setupId: ID.setup,
    packageId: ID.pack,
    move: { kind: 'dolly', stations: [station, { ...station, timeS: 4, xM: 1 }] },
    shutterDeg: 180,
    stop: 4,
    iso: 800,
    lensMode: 'held',
    lensSigmaPct: 1,
    measures: { level: [], levelSigmaM: 0.005, ties: [], heights: [] },
    stabiliser: 'off',
    sync: 'none',
    zoomNoted: false,
    exterior: false,
    stillsPlanned: false,
    lightPlanned: false,
    answered: [],
    ...change,
  };
};

/** A picture of the first station of a stills walk that nobody could look at. */
export const stillBody = (change: Partial<RecordBodies['still']> = {}): RecordBodies['still'] => ({
  setupId: ID.setup,
  station: 0,
  picture: { sha256: 'c'.repeat(64), name: 'a.jpg' },
  widthPx: 480,
  heightPx: 320,
  notes: null,
  look: null,
  shotAt: AT,
  givenAt: AT,
  ...change,
});

export const dayRecords = (): StoredRecord[] => [
  record('body', ID.body, {
    name: 'Tarvik H2',
    modes: [
      { id: ID.open, name: 'open gate', widthPx: 4096, heightPx: 2160, sensorWidthMm: 24, sensorHeightMm: 12.66, fps: 24 },
      { id: ID.windowed, name: 'windowed', widthPx: 2048, heightPx: 1080, sensorWidthMm: 12, sensorHeightMm: 6.33, fps: 50 },
    ],
  }),
  record('lens', ID.lens, { name: 'Orrinel 32', kind: 'prime', minFocalMm: 32, maxFocalMm: 32, squeeze: 1, serial: '0417' }),
  record('lens', ID.zoom, { name: 'Orrinel 24–70', kind: 'zoom', minFocalMm: 24, maxFocalMm: 70, squeeze: 1, serial: '0099' }),
  record('adapter', ID.reducer, { name: 'reducer ×0.71', factor: 0.71 }),
  record('package', ID.pack, { camera: 'A', bodyId: ID.body, modeId: ID.open, lensId: ID.lens, adapterId: null, focalMm: 32 }),
  record('set', ID.set, { name: 'Galley', marks: ['K1', 'K2', 'K3'] }),
  record('day', ID.day, { name: 'Day 12', date: '2026-11-23' }),
  record('setup', ID.setup, { dayId: ID.day, setId: ID.set, name: 'Dolly past the stove', scene: '41', order: 1, levelMarks: [], originMark: null, headingMarks: null }),
  record('take', ID.take, takeBody()),
];

export class FakeServer {
  memory = new MemoryRecords();
  records = this.memory.records;
  analyses = new Map<string, Analysis>();
  /** of each record, oldest first */
  changes = new Map<string, RecordChange[]>();
  plan: HandoverPlan = { missing: [], files: [], leftOut: 0, maps: { count: 0, maxBytes: 0 }, closed: null, changedAfterClose: [], handedOver: [], changedSince: [] };
  /** computations that were asked for, as they were sent */
  started: Record<string, unknown>[] = [];
  /** what was asked to be handed over */
  handedOver: unknown[] = [];
  cut = false;
  /** addresses that fail with this problem, by "METHOD path" ending */
  failing = new Map<string, Problem>();
  asked: string[] = [];
  /** what a computation that is started turns into */
  answer: (a: Analysis) => Analysis = (a) => a;

  constructor(records: readonly StoredRecord[] = dayRecords()) {
    records.forEach((r) => this.records.set(r.id, r));
  }

  problem(code: Problem['code'], status: number, detail: string, current?: unknown): Problem {
    return { type: 'about:blank', title: code, status, code, detail, instance: '', current };
  }

  private reply(status: number, body: unknown, headers: Record<string, string> = {}): Response {
    return { ok: status < 400, status, text: async () => JSON.stringify(body), json: async () => body, headers: new Map(Object.entries(headers)) } as unknown as Response;
  }

  fetch = async (input: unknown, init: { method?: string; body?: string | Blob; headers?: Record<string, string> } = {}): Promise<Response> => {
    const method = init.method ?? 'GET';
    const address = String(input).replace(/^\/api/, '');
    this.asked.push(`${method} ${address}`);
    if (this.cut) throw new TypeError('Network request failed');
    for (const [end, problem] of this.failing) if (`${method} ${address}`.endsWith(end)) return this.reply(problem.status, problem);
    const [where, asked = ''] = address.split('?');
    const [, , , room, ...rest] = where.split('/');
    const sent = typeof init.body === 'string' ? (JSON.parse(init.body) as Record<string, unknown>) : {};
    if (room === 'records' && rest[2] === 'history') return this.reply(200, { changes: this.changes.get(rest[1]) ?? this.memory.changes(rest[1]) });
    if (room === 'records' && method === 'GET') {
      const after = new URLSearchParams(asked).get('after');
      return this.reply(200, this.memory.since(after === null ? null : Number(after), new URLSearchParams(asked).get('epoch')));
    }
    if (room === 'records') return this.write(rest[0] as RecordKind, rest[1], sent as unknown as RecordWrite);
    if (room === 'files') return this.file(init.headers ?? {});
    if (room === 'days' && method === 'DELETE') {
      this.plan = { ...this.plan!, handedOver: this.plan!.handedOver.map((h) => ({ ...h, zip: null })) };
      return this.reply(204, undefined);
    }
    if (room === 'days' && method === 'POST') {
      this.handedOver.push(sent);
      if (sent.target === 'server') return this.reply(201, { name: 'day-handover.zip', sha256: 'f'.repeat(64), sizeBytes: 2_500_000, copiedTo: '/drive/day-handover.zip' });
      const zip = { blob: async () => ({ size: 2_500_000, arrayBuffer: async () => new ArrayBuffer(8) }) };
      return Object.assign(this.reply(200, null, { 'content-disposition': 'attachment; filename="day-handover.zip"' }), zip);
    }
    if (room === 'days') return this.reply(200, this.plan);
    if (room === 'handover-in') return this.bringIn(rest[0], sent as { replace?: boolean });
    if (room === 'analyses') return this.analysis(method, rest, sent);
    return this.reply(404, this.problem('NOT_FOUND', 404, 'There is nothing here.'));
  };

  /** what a handover would bring, and does */
  incoming: HandoverInAnswer | null = null;
  broughtIn: unknown[] = [];
  private bringIn(verb: string, sent: { replace?: boolean }): Response {
    const { incoming } = this;
    if (!incoming) return this.reply(422, this.problem('UNREADABLE_FILE', 422, 'day.zip is no handover that can be brought in: it has no list of its files.'));
    if (verb === 'look') return this.reply(200, incoming);
    this.broughtIn.push(sent);
    return this.reply(201, { ...incoming, brought: incoming.lines.filter((l) => l.what === 'new' || (sent.replace && l.what === 'different')).length });
  }

  /** a whole file in the piece that begins its upload, as small ones go */
  private file(headers: Record<string, string>): Response {
    const claimed = /name ([^,]+)/.exec(headers['Upload-Metadata'] ?? '')?.[1] ?? '';
    const name = Buffer.from(claimed, 'base64').toString('utf8');
    const clip = name.endsWith('.mp4') ? { name, durationS: 2, fps: 24, timecode: '10:00:00:00', hasSound: false, widthPx: 2048, heightPx: 1080, frames: 48 } : null;
    const picture = !name.endsWith('.csv');
    const file = {
      sha256: createHash('sha256').update(name).digest('hex'),
      name,
      mime: picture ? 'image/jpeg' : 'text/csv',
      sizeBytes: 9,
      widthPx: picture ? 4096 : null,
      heightPx: picture ? 2160 : null,
    };
    const given = clip ? { ...file, mime: 'video/mp4', widthPx: clip.widthPx, heightPx: clip.heightPx, clip } : file;
    return this.reply(201, given, { Location: '/api/uploads/1', 'Upload-Offset': headers['Upload-Length'] ?? '0' });
  }

  private write(kind: RecordKind, id: string, write: RecordWrite): Response {
    const answer = this.memory.write(kind, id, write);
    return 'status' in answer ? this.reply(answer.status, { ...this.problem(answer.code, answer.status, 'The record was changed meanwhile.'), ...answer }) : this.reply(200, answer);
  }

  private analysis(method: string, [id, verb]: string[], sent: Record<string, unknown>): Response {
    if (method === 'GET' && !id) return this.reply(200, { analyses: [...this.analyses.values()] });
    if (method === 'GET') return this.analyses.has(id) ? this.reply(200, this.analyses.get(id)) : this.reply(404, this.problem('NOT_FOUND', 404, 'There is no such analysis.'));
    if (verb === 'stop') {
      const stopped = { ...this.analyses.get(id)!, status: 'stopped' as const, stage: 'stopped' };
      this.analyses.set(id, stopped);
      return this.reply(200, stopped);
    }
    this.started.push(sent);
    const queued: Analysis = {
      id: sent.id as string,
      kind: sent.kind as 'grid' | 'solve',
      subjectId: sent.subjectId as string,
      status: 'queued',
      progress: 0,
      stage: '',
      error: null,
      outcome: null,
      createdAt: AT,
      finishedAt: null,
    };
    this.analyses.set(queued.id, this.answer(queued));
    return this.reply(202, queued);
  }
}

let devices = 0;
const device: { stores: ReturnType<typeof useData> | null } = { stores: null };
/** Of the device that was opened last. */
export const stores = () => device.stores!;
/** Hands the stores of the device that was opened last to the tests. */
function Stores() {
  const data = useData();
  useEffect(() => {
    device.stores = data;
  }, [data]);
  return null;
}

/** Somebody else changes a record; this device learns of it when it listens. */
export function changeElsewhere<K extends RecordKind>(server: FakeServer, kind: K, id: string, change: Partial<RecordBodies[K]>): void {
  const r = server.records.get(id) as StoredRecord<K>;
  server.memory.write(kind, id, { mutationId: crypto.randomUUID(), baseVersion: r.version, body: { ...r.body, ...change }, deleted: false });
}
export const listen = (server: FakeServer): Promise<void> =>
  act(() =>
    stores()
      .records.getState()
      .hear({ records: [...server.records.values()].filter((r) => r.version > 1), cursor: 99, whole: false, epoch: 'epoch-1' }),
  );

/** Renders a screen on a device of its own, signed in, with the server behind it, and waits until the records are there. */
export async function open(screenElement: ReactElement, server: FakeServer, role: Role = 'wrangler', others: SessionInfo['productions'] = []): Promise<void> {
  devices += 1;
  globalThis.localStorage.clear();
  await reopen(screenElement, server, role, others);
}

/** The same device once more, with what it kept. */
export async function reopen(screenElement: ReactElement, server: FakeServer, role: Role = 'wrangler', others: SessionInfo['productions'] = [], change: Partial<SessionInfo> = {}): Promise<void> {
  global.fetch = server.fetch as typeof fetch;
  (router.push as jest.Mock).mockClear();
  const session: SessionInfo = {
    userId: `user-${devices}`,
    name: 'wrangler',
    role,
    production: { id: PRODUCTION, name: 'The Salt Ferry' },
    productions: [{ id: PRODUCTION, name: 'The Salt Ferry', role, demo: false }, ...others],
    epoch: 'epoch-1',
    csrfToken: 't',
    ...change,
  };
  const inset = { top: 0, left: 0, right: 0, bottom: 0 };
  render(
    <SafeAreaProvider initialMetrics={{ frame: { x: 0, y: 0, width: 390, height: 844 }, insets: inset }}>
      <Theme>
        <DataProvider session={session}>
          <Stores />
          {screenElement}
        </DataProvider>
      </Theme>
    </SafeAreaProvider>,
  );
  await settle();
}

/** Lets the stores, IndexedDB and the server finish what is under way. */
export async function settle(turns = 12): Promise<void> {
  for (let i = 0; i < turns; i += 1) await act(async () => new Promise((r) => setTimeout(r, 4)));
}

export const pushed = (): string[] => (router.push as jest.Mock).mock.calls.map(([where]) => String(where));
export const seen = (text: string | RegExp) => screen.queryAllByText(text).length > 0;

/** A press of a thumb on a place of a picture that is `widthPx` wide, in a drawing as wide as a phone. */
export function touchPicture(widthPx: number, x: number, y: number): void {
  const units = widthPx / 358;
  const e = { clientX: x / units, clientY: y / units, pointerType: 'mouse', currentTarget: { getBoundingClientRect: () => ({ left: 0, top: 0 }) } };
  const [aim] = screen.getAllByTestId('aim');
  fireEvent(aim, 'pointerDown', e);
  fireEvent(aim, 'pointerUp', e);
}
