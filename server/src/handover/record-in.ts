import { BROUGHT, RECORD_FORMAT, type LeftDay, type LeftFile } from '@mesure/contract';
import { BODY_SCHEMAS, check } from '@mesure/contract/schemas';
import { FormatError, readLeftSolve, readSetupJson, type LeftSolveFile } from '@mesure/formats';
import { checkHandover } from '@mesure/formats/handover';
import { openZip } from '@mesure/formats/zip';
import { createHash } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { pipeline } from 'node:stream/promises';
import { Transform } from 'node:stream';

const MOST_RECORDS = 20_000;
const MOST_FILES = 20_000;
const MOST_RECORD_BYTES = 64e6;

const refuse = (name: string, why: string) => new FormatError(name, null, null, `is no handover that can be brought in: ${why}`);

/** A handover of another Mesure, opened: its records, every one checked, and a way to its files. */
export interface OpenHandover {
  left: LeftDay;
  /** files of it that are in the zip: a supplement has not all of them */
  holds(file: LeftFile): boolean;
  /** @throws FormatError when its bytes are not those that left */
  extract(file: LeftFile, to: string): Promise<void>;
  /** solves that are in the zip */
  solves: NonNullable<LeftDay['solved']>;
  /** @throws FormatError where it is not what left, or no solve */
  solve(path: string): Promise<LeftSolveFile>;
}

/**
 * Looks at every record of a handover as if a phone had sent it; seconds of work where there are many, for a thread of its own.
 * @returns how many there are
 * @throws FormatError in words that say what is wrong with it
 */
export const checkHandoverIn = (file: string, name: string): Promise<number> =>
  opened(file, name, async ({ left, solves, solve }) => {
    checkRecord(name, left);
    for (const s of solves) await solve(s.path);
    return left.records.length;
  });

/** A handover that `checkHandoverIn` has looked at. @throws FormatError */
export const withHandover = opened;

async function opened<T>(file: string, name: string, work: (open: OpenHandover) => Promise<T>): Promise<T> {
  const { entries, close } = await openZip(file).catch((error: Error) => {
    throw refuse(name, error.message);
  });
  try {
    if (!entries.names.includes('MANIFEST.sha256')) throw refuse(name, 'it has no list of its files');
    if (!entries.names.includes('record.json')) throw refuse(name, 'it has no record.json, as those of an earlier version have none');
    const only = ['record.json', 'MANIFEST.sha256'];
    const sizes = only.map((n) => entries.sizeOf(n) ?? 0);
    if (Math.max(...sizes) > MOST_RECORD_BYTES) throw refuse(name, 'its list of records is larger than a day can be');
    // the manifest and the record agree; pictures are checked as they are read
    const [record] = (await checkHandover({ names: only, read: entries.read })).filter((f) => f.path === 'record.json');
    if (record?.status !== 'good') throw refuse(name, `record.json ${record?.message ?? 'is not in its list'}`);
    const left = recordOf(name, (await entries.read('record.json')).toString('utf8'));
    return await work({
      left,
      holds: (f) => entries.names.includes(f.path),
      solves: (left.solved ?? []).filter((s) => entries.names.includes(s.path)),
      async solve(at) {
        if ((entries.sizeOf(at) ?? 0) > MOST_RECORD_BYTES) throw refuse(name, `${at} is larger than a solve can be`);
        const [file] = (await checkHandover({ names: [at, 'MANIFEST.sha256'], read: entries.read })).filter((f) => f.path === at);
        if (file?.status !== 'good') throw refuse(name, `${at} ${file?.message ?? 'is not in its list'}`);
        return readLeftSolve((await entries.read(at)).toString('utf8'), at);
      },
      async extract(f, to) {
        const hash = createHash('sha256');
        let bytes = 0;
        const counted = new Transform({
          transform(chunk: Buffer, _encoding, done) {
            hash.update(chunk);
            bytes += chunk.length;
            // the room for it was taken by what is said of it
            done(bytes > f.sizeBytes ? refuse(name, `${f.path} is larger than is said of it`) : null, chunk);
          },
        });
        try {
          await pipeline(await entries.open(f.path), counted, createWriteStream(to));
          if (hash.digest('hex') !== f.sha256) throw refuse(name, `${f.path} is not what left`);
        } catch (error) {
          await rm(to, { force: true });
          throw error instanceof FormatError ? error : refuse(name, `${f.path}: ${error instanceof Error ? error.message : String(error)}`);
        }
      },
    });
  } finally {
    close();
  }
}

/** @throws FormatError */
function recordOf(name: string, text: string): LeftDay {
  let left: LeftDay;
  try {
    left = JSON.parse(text) as LeftDay;
  } catch {
    throw refuse(name, 'its JSON cannot be read');
  }
  if (left?.format !== RECORD_FORMAT) throw refuse(name, `its record is ${String(left?.format ?? 'something else').slice(0, 40)}, and ${RECORD_FORMAT} is read`);
  const lists = [left.records, left.measured, left.files, left.solved ?? []];
  if (!lists.every((l) => Array.isArray(l) && l.every((one) => typeof one === 'object' && one !== null))) throw refuse(name, 'its record is broken');
  return left;
}

/** Everything that comes in is checked as what a phone sends is. @throws FormatError */
function checkRecord(name: string, left: LeftDay): void {
  if (left.records.length > MOST_RECORDS || left.files.length > MOST_FILES) throw refuse(name, `it holds ${left.records.length} records and ${left.files.length} files`);
  const seen = new Set<string>();
  for (const r of left.records) {
    if (!BROUGHT.includes(r.kind)) throw refuse(name, `${String(r.kind).slice(0, 40)} is no kind of record that comes in`);
    if (!isUuid(r.id) || seen.has(r.id)) throw refuse(name, `a ${r.kind} has no id of its own`);
    seen.add(r.id);
    if (typeof r.by !== 'string' || r.by.length > 200 || Number.isNaN(Date.parse(r.at))) throw refuse(name, `a ${r.kind} does not say by whom and when`);
    const { problems } = check(BODY_SCHEMAS[r.kind] as never, r.body);
    if (problems) throw refuse(name, `${r.kind}: ${problems[0].field} ${problems[0].message}`);
  }
  if (!left.records.some((r) => r.kind === 'day' && r.id === left.day?.id)) throw refuse(name, 'it holds no day');
  if (left.measured.some((m) => (m.outcome as { kind?: string } | null)?.kind !== 'grid')) throw refuse(name, 'what was measured in it is of no grid plate');
  for (const s of left.solved ?? []) {
    const input = s.input as { kind?: string; setup?: object } | null;
    if (!isUuid(s.takeId) || typeof s.path !== 'string' || Number.isNaN(Date.parse(s.at)) || input?.kind !== 'solve') throw refuse(name, 'a solve in it is of no take');
    // it is laid beside the record as it is whenever somebody asks whether the solve is old
    readSetupJson(JSON.stringify(input.setup ?? null), `${name}: what a solve was asked`);
  }
  for (const f of left.files)
    if (typeof f.path !== 'string' || !/^[0-9a-f]{64}$/.test(f.sha256) || typeof f.name !== 'string' || !givenAs(f.mime) || !sizes(f))
      throw refuse(name, `${String(f.path).slice(0, 80)} is no file that a record names`);
}

const isUuid = (id: unknown): boolean => typeof id === 'string' && /^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/.test(id);
/** What a phone may give: pictures, tracks, clips. Never what a browser would run. */
const givenAs = (mime: unknown): boolean => typeof mime === 'string' && /^(image\/(?!svg)[\w.-]+|video\/mp4|audio\/(mp4|wav)|text\/csv|application\/(octet-stream|x-pictures\+zip))$/.test(mime);
const sizes = ({ sizeBytes, widthPx, heightPx }: LeftFile): boolean =>
  Number.isSafeInteger(sizeBytes) && sizeBytes >= 0 && [widthPx, heightPx].every((v) => v === null || (Number.isSafeInteger(v) && v > 0 && v <= 32_768));
