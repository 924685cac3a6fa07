import { checkWalk, focalOfStill, lookAtStill, oneAfterTheOther, placeWalk, STILLS_OVERLAP, USUAL_SIGMA, walkFeatures, type GrayImage, type PictureNotes, type WalkPicture } from '@mesure/core';
import { readStillMarksCsv, readTiesCsv, writePlacedStillsCsv, writeWalkPlacesPly } from '@mesure/formats';
import path from 'node:path';
import { parse, progressReporter, readBytes, readText, writeJson, writeText } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

/** What is kept of one picture. */
interface Read {
  name: string;
  image: GrayImage;
  notes: PictureNotes | null;
}

export const stills: Command = {
  name: 'stills',
  usage: 'stills PICTURE PICTURE … [--overlap 0.25] [--round] | --place [--focal MM --sensor WIDTHxHEIGHT [--body NAME]] [--marks FILE --ties FILE] [--csv FILE] [--ply FILE]',
  summary: 'Do the pictures of a stills walk tie together, and is each of them sharp and evenly exposed? Where was each of them taken?',
  details: [
    'PICTURE    in the order in which they were taken, two at least; three to place them.',
    '--overlap  share of the frame that neighbours should have in common (0.25).',
    '--round    the last one is the neighbour of the first.',
    'Gives of each pair the overlap (estimated from the pictures), the matches and the difference in exposure in stops; gaps; remarks.',
    'Exit 1 when there is a gap or a remark.',
    '--place    places and turns of all of them, the focal length of each lens, and the places that they have in common, by the pictures themselves.',
    '--focal, --sensor  the lens and the sensor in mm, 13.2x8.8; without them each file must say its focal length on 36 × 24 mm (EXIF).',
    '--body     of which camera that is, where the pictures come from several; those of another one count by their own files.',
    '--marks    CSV file,id,x,y: marks pointed out in the pictures, px from the upper left corner; each in two pictures at least.',
    '--ties     CSV from,to,value,unit[,tolerance] between such marks: they say what a metre is. Without them places are in units of their own.',
    '--csv, --ply  write the pictures with their places, and the places in common, too.',
    'A place must be in three pictures for the next one to be placed: neighbours that share a quarter only are not enough. Exit 1 when a picture has no place; the JSON says why.',
  ],
  example: 'mesure stills boat_*.jpg --place --focal 9 --sensor 13.2x8.8 --csv boat.csv',
  async run(args) {
    const { values, positionals } = parse(args, {
      overlap: { type: 'string' },
      round: { type: 'boolean' },
      place: { type: 'boolean' },
      focal: { type: 'string' },
      sensor: { type: 'string' },
      body: { type: 'string' },
      marks: { type: 'string' },
      ties: { type: 'string' },
      csv: { type: 'string' },
      ply: { type: 'string' },
    });
    if (positionals.length < 2) throw new UsageError('give two pictures at least');
    const overlap = values.overlap === undefined ? STILLS_OVERLAP : Number(values.overlap);
    if (!(overlap >= 0.1 && overlap <= 0.9)) throw new UsageError(`--overlap ${values.overlap} must be a number from 0.1 to 0.9`);
    const neighbours = oneAfterTheOther(positionals.length, values.round === true);
    if (values.place) return place(positionals, neighbours, values);
    for (const only of ['focal', 'sensor', 'body', 'marks', 'ties', 'csv', 'ply'] as const) if (values[only] !== undefined) throw new UsageError(`--${only} goes with --place`);
    return tie(positionals, neighbours, overlap);
  },
};

async function readPicture(file: string): Promise<Read> {
  const bytes = readBytes(file);
  const { readGray } = await import('@mesure/formats/picture');
  const { readPictureNotes } = await import('@mesure/formats/exif');
  const image = await readGray(bytes, file);
  return { name: path.basename(file), image, notes: await readPictureNotes(bytes, { widthPx: image.widthPx, heightPx: image.heightPx }) };
}

async function tie(files: readonly string[], neighbours: [number, number][], overlap: number): Promise<number> {
  const names = files.map((file) => path.basename(file));
  const pictures: WalkPicture[] = [];
  for (const [station, file] of files.entries()) {
    const { image, notes } = await readPicture(file);
    pictures.push({ station, look: lookAtStill(image), notes });
  }
  const { pairs, gaps, remarks } = checkWalk(pictures, neighbours, overlap, names);
  const name = (i: number) => names[i];
  writeJson({
    pictures: pictures.map((p) => ({
      file: name(p.station),
      widthPx: p.look!.widthPx,
      heightPx: p.look!.heightPx,
      zones: p.look!.zones,
      burntShare: p.look!.burntShare,
      lostShare: p.look!.lostShare,
    })),
    pairs: pairs.map(({ from, to, matches, overlap: shared, stops }) => ({ from: name(from), to: name(to), overlap: shared, matches, stops })),
    gaps: gaps.map(({ from, to, why, message }) => ({ from: name(from), to: name(to), why, message })),
    remarks: remarks.map(({ station, what, message }) => ({ file: name(station), what, message })),
  });
  return gaps.length + remarks.length > 0 ? 1 : 0;
}

type PlaceValues = Partial<Record<'focal' | 'sensor' | 'body' | 'marks' | 'ties' | 'csv' | 'ply', string>>;

async function place(files: readonly string[], neighbours: [number, number][], values: PlaceValues): Promise<number> {
  if (files.length < 3) throw new UsageError('give three pictures at least to place them');
  const camera = cameraOf(values);
  const marks = values.marks === undefined ? [] : readStillMarksCsv(readText(values.marks), values.marks);
  const names = files.map((file) => path.basename(file));
  const stranger = marks.find((m) => !names.includes(m.file));
  if (stranger) throw new UsageError(`--marks: ${stranger.file} is none of the pictures`);
  const ties = values.ties === undefined ? [] : readTiesCsv(readText(values.ties), values.ties);
  const progress = progressReporter();
  const shots = [];
  const bodies = new Set<string>();
  for (const [i, file] of files.entries()) {
    progress('looking at the pictures', (0.4 * i) / files.length);
    const { name, image, notes } = await readPicture(file);
    if (notes?.body) bodies.add(notes.body);
    if (camera && values.body === undefined && bodies.size > 1) throw new UsageError(`the pictures come from ${[...bodies].join(' and ')}: say with --body which one --focal and --sensor are of`);
    const ofCamera = values.body === undefined && notes ? { ...notes, body: null } : notes;
    const focal = focalOfStill({ widthPx: image.widthPx, heightPx: image.heightPx, notes: camera ? ofCamera : notes }, camera);
    if (!focal) throw new UsageError(`${file}: does not say its focal length on 36 × 24 mm; give --focal and --sensor`);
    shots.push({ name, features: walkFeatures(image), focalPx: focal.focalPx, lens: focal.lens, marks: marks.filter((m) => m.file === name) });
  }
  const lengths = ties.map((t) => ({ a: t.from, b: t.to, m: t.valueM, sigmaM: t.toleranceM === null || t.toleranceM === undefined ? USUAL_SIGMA.tieM : t.toleranceM / 2 }));
  const walk = placeWalk(shots, { neighbours, anchors: { lengths }, onProgress: ({ stage, done, total }) => progress(stage, 0.4 + (0.6 * done) / Math.max(1, total)) });
  const pictures = shots.map((s) => ({ file: s.name, station: null, widthPx: s.features.widthPx, heightPx: s.features.heightPx }));
  if (values.csv) writeText(values.csv, writePlacedStillsCsv({ name: 'the walk', walk, pictures }));
  if (values.ply) writeText(values.ply, writeWalkPlacesPly({ name: 'the walk', walk, pictures }));
  const { stills: placed, ties: tied, unplaced, ...rest } = walk;
  writeJson({
    ...rest,
    pictures: placed.map((s, i) => ({ file: names[i], ...(s ?? { why: unplaced.find((u) => u.still === i)!.why }) })),
    ties: tied.map((t) => ({ from: names[t.a], to: names[t.b], matches: t.matches })),
  });
  return walk.status === 'solved' ? 0 : 1;
}

/** The one camera of the whole walk, where it is given. */
function cameraOf({ focal, sensor, body }: PlaceValues) {
  if (focal === undefined && sensor === undefined) {
    if (body !== undefined) throw new UsageError('--body goes with --focal and --sensor');
    return null;
  }
  if (focal === undefined || sensor === undefined) throw new UsageError('--focal and --sensor go together');
  const focalMm = Number(focal);
  if (!(focalMm > 0)) throw new UsageError(`--focal ${focal} must be a number of mm above 0`);
  const [, width, height] = /^(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)$/.exec(sensor) ?? [];
  if (!(Number(width) > 0 && Number(height) > 0)) throw new UsageError(`--sensor ${sensor} must be its width and height in mm, as 13.2x8.8`);
  return { body: body ?? 'the camera', focalMm, adapterFactor: 1, sensorWidthMm: Number(width), sensorHeightMm: Number(height) };
}
