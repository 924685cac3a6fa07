import type { KitKind, RecordBodies, StoredRecord } from '@mesure/contract';
import { BODY_SCHEMAS, check } from '@mesure/contract/schemas';
import archiver from 'archiver';
import { createHash } from 'node:crypto';
import type { Writable } from 'node:stream';
import type { Database } from '../db/connect';
import { COEFFICIENTS_MAX_BYTES, COEFFICIENTS_MIME } from '../files/coefficients-file';
import type { FileStore } from '../files/store';
import { readCoefficients } from '@mesure/formats/lens';
import { openZip } from '@mesure/formats/zip';
import { ApiProblem } from '../http/problem';
import { liveRecords } from '../jobs/inputs';

export const KIT_FORMAT = 'mesure kit 1';
const MOST_RECORDS = 5000;
const MOST_JSON_BYTES = 64e6;

export interface KitPicture {
  sha256: string;
  name: string;
  mime: string;
  sizeBytes: number;
  widthPx: number | null;
  heightPx: number | null;
}
/** What outlives a film: bodies, lenses, adapters, and the lens books with their plates and what was measured on them. */
export interface KitContents {
  records: { [K in KitKind]: { kind: K; id: string; body: RecordBodies[K] } }[KitKind][];
  /** of plates: input and outcome of their measuring */
  measured: { plateId: string; input: object; outcome: object }[];
  pictures: KitPicture[];
}

const KINDS_OF_KIT: readonly KitKind[] = ['body', 'lens', 'adapter', 'package', 'plate', 'edges'];
const isKit = (r: StoredRecord): r is StoredRecord<KitKind> => (KINDS_OF_KIT as readonly string[]).includes(r.kind);

/** The kit of a production as it is. */
export async function kitOf(db: Database, productionId: string): Promise<KitContents> {
  const records = (await liveRecords(db, productionId)).filter(isKit);
  const shas = [...new Set(records.flatMap((r) => ('picture' in r.body ? [r.body.picture.sha256] : [])))];
  const rows = await db.StoredFile.findAll({ where: { productionId, sha256: shas } });
  const grids = await db.AnalysisRow.findAll({
    where: { productionId, kind: 'grid', status: 'done', subjectId: records.filter((r) => r.kind === 'plate').map((r) => r.id) },
    order: [['createdAt', 'DESC']],
  });
  return {
    records: records.map(({ kind, id, body }) => ({ kind, id, body }) as KitContents['records'][number]),
    measured: grids.filter((g, i) => grids.findIndex((o) => o.subjectId === g.subjectId) === i).map((g) => ({ plateId: g.subjectId, input: g.input, outcome: g.outcome as object })),
    pictures: rows.map((f) => ({ sha256: f.sha256, name: f.name, mime: f.mime, sizeBytes: Number(f.sizeBytes), widthPx: f.widthPx, heightPx: f.heightPx })),
  };
}

/** The same as a zip of open files: kit.json, pictures under their SHA-256, and a manifest with checksums. */
export async function writeKit(kit: KitContents, store: FileStore, out: Writable): Promise<void> {
  const text = `${JSON.stringify(kit, null, 2)}\n`;
  const manifest = { format: KIT_FORMAT, madeAt: new Date().toISOString(), kit: createHash('sha256').update(text).digest('hex'), pictures: kit.pictures.map((p) => p.sha256) };
  const zip = archiver('zip', { zlib: { level: 6 } });
  zip.on('error', (error) => out.destroy(error));
  zip.pipe(out);
  zip.append(`${JSON.stringify(manifest, null, 2)}\n`, { name: 'manifest.json' });
  zip.append(text, { name: 'kit.json' });
  for (const p of kit.pictures) {
    const written = new Promise((resolve) => zip.once('entry', resolve));
    zip.append(await store.read(p.sha256), { name: `pictures/${p.sha256}`, store: true });
    await written;
  }
  await zip.finalize();
}

const refuse = (name: string, why: string) => new ApiProblem('UNREADABLE_FILE', `${name} is no kit file: ${why}.`);

/** The kit in a zip, every part of it checked; `keep` is given each picture's bytes. */
export async function readKit(file: string, name: string, keep: ((sha256: string, bytes: Buffer) => Promise<void>) | null): Promise<KitContents> {
  const { entries, close } = await openZip(file).catch((error: Error) => {
    throw refuse(name, error.message);
  });
  try {
    const text = await entries.read('kit.json', MOST_JSON_BYTES).catch((e: Error) => e);
    const manifest = await entries.read('manifest.json', MOST_JSON_BYTES).catch((e: Error) => e);
    if (text instanceof Error) throw refuse(name, text.message);
    if (manifest instanceof Error) throw refuse(name, manifest.message);
    const said = JSON.parse(manifest.toString('utf8')) as { format: string; kit: string };
    if (said.format !== KIT_FORMAT) throw refuse(name, `it is ${said.format ?? 'something else'}, and ${KIT_FORMAT} is read`);
    if (createHash('sha256').update(text).digest('hex') !== said.kit) throw refuse(name, 'kit.json is not as it was written');
    const kit = JSON.parse(text.toString('utf8')) as KitContents;
    if (kit.records.length > MOST_RECORDS) throw refuse(name, `${kit.records.length} records`);
    for (const r of kit.records) {
      const problems = KINDS_OF_KIT.includes(r.kind) ? check(BODY_SCHEMAS[r.kind] as never, r.body).problems : [{ field: 'kind', message: `${r.kind} is no kit` }];
      if (problems) throw refuse(name, `${r.kind}: ${problems[0].field} ${problems[0].message}`);
    }
    if (kit.measured.some((m) => (m.outcome as { kind?: string }).kind !== 'grid')) throw refuse(name, 'what was measured in it is of no grid plate');
    for (const p of kit.pictures) {
      // a plate's file may be coefficients in place of a picture
      const coefficients = p.mime === COEFFICIENTS_MIME;
      if (!coefficients && (!/^image\/[\w.-]+$/.test(p.mime) || /svg/.test(p.mime))) throw refuse(name, `${p.name} is no picture`);
      const bytes = await entries.read(`pictures/${p.sha256}`).catch(() => null);
      if (!bytes || createHash('sha256').update(bytes).digest('hex') !== p.sha256) throw refuse(name, `the picture ${p.name} is missing or not as it was written`);
      if (coefficients) readCoefficients(bytes.subarray(0, COEFFICIENTS_MAX_BYTES).toString('utf8'), p.name);
      await keep?.(p.sha256, bytes);
    }
    return kit;
  } catch (error) {
    if (error instanceof SyntaxError) throw refuse(name, 'its JSON cannot be read');
    throw error;
  } finally {
    close();
  }
}
