import equal from 'fast-deep-equal';
import type { LensBody, RecordBodies, StoredRecord } from './records';

/** What outlives a film. */
export type KitKind = 'body' | 'lens' | 'adapter' | 'package' | 'plate' | 'edges';
type Part<K extends KitKind = KitKind> = { kind: K; id: string; body: RecordBodies[K] };

/** What bringing a kit in would do with one part of it. */
export interface KitLine {
  kind: KitKind;
  /** of the kit that comes in */
  id: string;
  name: string;
  what: 'new' | 'same' | 'different';
  /** the one that is here, of the same and of a different one */
  hereId: string | null;
  /** what differs, in words */
  note: string;
}

const key = (text: string): string => text.trim().toLowerCase();
const numbers = (l: LensBody) => ({ kind: l.kind, minFocalMm: l.minFocalMm, maxFocalMm: l.maxFocalMm, squeeze: l.squeeze });

/**
 * Compares a kit with what is here: lenses by serial number, else by name; bodies and adapters by name. Packages and plates follow them; a
 * plate is the same when its picture is. A part that is here under the same name or number and is another one stays beside it: nothing
 * that is here is changed.
 */
export function compareKit(kit: readonly Part[], here: readonly StoredRecord[]): KitLine[] {
  const lines: KitLine[] = [];
  const ours = <K extends KitKind>(kind: K) => here.filter((r) => r.kind === kind && !r.deleted) as StoredRecord<K>[];
  const of = <K extends KitKind>(kind: K) => kit.filter((p) => p.kind === kind) as Part<K>[];
  const line = (p: Part, name: string, what: KitLine['what'], hereId: string | null, note = '') => lines.push({ kind: p.kind, id: p.id, name, what, hereId, note });
  /** one that came from here, or came in before, is the same part whatever became of it since: a part's id is its own everywhere */
  const known = <K extends KitKind>(p: Part<K>, name: string): boolean => {
    const own = ours(p.kind).find((r) => r.id === p.id);
    if (own) line(p, name, 'same', own.id);
    return own !== undefined;
  };
  const mapped = (id: string | null | undefined) => (id ? (lines.find((l) => l.id === id && l.what === 'same')?.hereId ?? null) : null);

  for (const p of of('body')) {
    if (known(p, p.body.name)) continue;
    const twin = ours('body').find((b) => key(b.body.name) === key(p.body.name));
    const without = (b: RecordBodies['body']) => b.modes.map(({ id: _id, ...m }) => m);
    if (!twin) line(p, p.body.name, 'new', null);
    else if (without(p.body).every((m) => without(twin.body).some((o) => equal(o, m)))) line(p, p.body.name, 'same', twin.id);
    else line(p, p.body.name, 'different', twin.id, 'its recording modes are others');
  }
  for (const p of of('lens')) {
    const serial = key(p.body.serial);
    const twin = ours('lens').find((l) => (serial !== '' && key(l.body.serial) !== '' ? key(l.body.serial) === serial : key(l.body.name) === key(p.body.name)));
    const name = `${p.body.name}${p.body.serial ? ` · ${p.body.serial}` : ''}`;
    if (known(p, name)) continue;
    if (!twin) line(p, name, 'new', null);
    else if (equal(numbers(p.body), numbers(twin.body))) line(p, name, 'same', twin.id);
    else
      line(
        p,
        name,
        'different',
        twin.id,
        `here it is ${twin.body.minFocalMm === twin.body.maxFocalMm ? twin.body.minFocalMm : `${twin.body.minFocalMm}–${twin.body.maxFocalMm}`} mm, squeeze ${twin.body.squeeze}`,
      );
  }
  for (const p of of('adapter')) {
    if (known(p, p.body.name)) continue;
    const twin = ours('adapter').find((a) => key(a.body.name) === key(p.body.name));
    if (!twin) line(p, p.body.name, 'new', null);
    else if (twin.body.factor === p.body.factor) line(p, p.body.name, 'same', twin.id);
    else line(p, p.body.name, 'different', twin.id, `here its factor is ${twin.body.factor}`);
  }
  for (const p of of('package')) {
    if (known(p, `${p.body.camera}-cam`)) continue;
    const twin = ours('package').find(
      (q) =>
        q.body.bodyId === mapped(p.body.bodyId) &&
        q.body.lensId === mapped(p.body.lensId) &&
        (q.body.adapterId ?? null) === mapped(p.body.adapterId) &&
        (p.body.adapterId === null) === (q.body.adapterId === null) &&
        q.body.focalMm === p.body.focalMm &&
        modeHere(kit, here, p.body, q.body),
    );
    line(p, `${p.body.camera}-cam`, twin ? 'same' : 'new', twin?.id ?? null);
  }
  for (const kind of ['plate', 'edges'] as const) {
    for (const p of of(kind)) {
      if (known(p, p.body.picture.name)) continue;
      const twin = ours(kind).find((q) => q.body.picture.sha256 === p.body.picture.sha256 && q.body.lensId === mapped(p.body.lensId));
      line(p, p.body.picture.name, twin ? 'same' : 'new', twin?.id ?? null);
    }
  }
  return lines;
}

/** The mode of another body's package that records the same area with as many pixels. */
function modeHere(kit: readonly Part[], here: readonly StoredRecord[], theirs: RecordBodies['package'], ours: RecordBodies['package']): boolean {
  const body = kit.find((p) => p.kind === 'body' && p.id === theirs.bodyId) as Part<'body'> | undefined;
  const own = here.find((r) => r.kind === 'body' && r.id === ours.bodyId) as StoredRecord<'body'> | undefined;
  const a = body?.body.modes.find((m) => m.id === theirs.modeId);
  const b = own?.body.modes.find((m) => m.id === ours.modeId);
  return a !== undefined && b !== undefined && a.widthPx === b.widthPx && a.heightPx === b.heightPx && a.sensorWidthMm === b.sensorWidthMm;
}

/**
 * The records that bring a kit in, under new ids and in the order in which they refer to each other. What is the same here is used; what is
 * different comes in beside it under a name of its own. Packages come in as ones that were mounted before: nobody has mounted them here.
 */
export function bringKit(kit: readonly Part[], lines: readonly KitLine[], here: readonly StoredRecord[], newId: (theirs: string) => string, now: string): { ids: Map<string, string>; made: Part[] } {
  const ids = new Map<string, string>();
  const made: Part[] = [];
  const at = (id: string) => ids.get(id) ?? id;
  const order: KitKind[] = ['body', 'lens', 'adapter', 'package', 'plate', 'edges'];
  for (const l of [...lines].sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind))) {
    if (l.what === 'same') {
      ids.set(l.id, l.hereId!);
      continue;
    }
    const id = newId(l.id);
    ids.set(l.id, id);
    const part = kit.find((p) => p.id === l.id)!;
    const beside = l.what === 'different' ? ' (brought in)' : '';
    if (part.kind === 'body' || part.kind === 'lens' || part.kind === 'adapter') {
      const body = part.body as RecordBodies['body' | 'lens' | 'adapter'];
      made.push({ kind: part.kind, id, body: { ...body, name: `${body.name}${beside}`.slice(0, 120) } } as Part);
    } else if (part.kind === 'package') {
      const b = part.body as RecordBodies['package'];
      const bodyId = at(b.bodyId);
      made.push({
        kind: 'package',
        id,
        body: {
          ...b,
          bodyId,
          modeId: modeIn(kit, here, b, bodyId),
          lensId: at(b.lensId),
          adapterId: b.adapterId && at(b.adapterId),
          ...(b.secondAdapterId ? { secondAdapterId: at(b.secondAdapterId) } : {}),
          until: b.until ?? now,
        },
      });
    } else {
      const b = part.body as RecordBodies['plate'];
      made.push({ kind: part.kind, id, body: { ...b, lensId: at(b.lensId), packageId: at(b.packageId) } } as Part);
    }
  }
  return { ids, made };
}

/** A body that is here has its own ids of modes. */
function modeIn(kit: readonly Part[], here: readonly StoredRecord[], theirs: RecordBodies['package'], bodyId: string): string {
  const own = here.find((r) => r.kind === 'body' && r.id === bodyId) as StoredRecord<'body'> | undefined;
  const theirBody = kit.find((p) => p.kind === 'body' && p.id === theirs.bodyId) as Part<'body'> | undefined;
  const mode = theirBody?.body.modes.find((m) => m.id === theirs.modeId);
  const { id: _id, ...asTheirs } = mode ?? { id: '' };
  return own?.body.modes.find(({ id: _own, ...m }) => equal(m, asTheirs))?.id ?? theirs.modeId;
}
