import { lineUpQuestion, type SolvedNet, type StoredRecord } from '@mesure/contract';
import { checkLineUp, CoreError, intoSpace, netFactWords, type CheckedLineUp, type NetInput } from '@mesure/core';
import { writeCsv } from '@mesure/formats';
import type { Database } from '../db/connect';
import { lensEvidence } from '../jobs/solve/lens-evidence';
import { labelOf, slug, type HandoverDay, type HandoverFile } from './day';
import { adjustedNet } from './net';
import { spaceOf } from './receiver';

interface LinedUp {
  picture: StoredRecord<'lineup'>;
  take: StoredRecord<'take'>;
  path: string;
  checked: CheckedLineUp | { problem: string };
}

/** Single pictures of the day's takes, their marks, and where the camera stood by each of them. */
export async function lineUpFiles(db: Database, productionId: string, day: HandoverDay): Promise<HandoverFile[]> {
  const pictures = day.all('lineup').flatMap((picture) => {
    const take = day.takes.find((t) => t.id === picture.body.takeId);
    return take ? [{ picture, take, path: `${day.folderOf(take)}/line-ups/${slug(picture.body.picture.name)}` }] : [];
  });
  if (pictures.length === 0) return [];
  // asked for by two files, lined up once, when the first of them is made
  let made: Promise<LinedUp[]> | null = null;
  const linedUp = () =>
    (made ??= (async () => {
      const nets = new Map<string, OfSet>();
      const list: LinedUp[] = [];
      for (const p of pictures) list.push({ ...p, checked: await check(db, productionId, day, p, nets) });
      return list;
    })());
  return [
    { path: 'line-ups.csv', what: 'where the camera stood by single pictures, and how long its lens was', readWith: 'CSV', make: async () => placesCsv(await linedUp(), day) },
    { path: 'line-up-marks.csv', what: 'where marks are in those pictures, and how far off each is, pixels', readWith: 'CSV', make: async () => marksCsv(await linedUp()) },
    {
      path: 'line-up-lengths.csv',
      what: 'what was measured between marks of those pictures where no place is known, and how far off each comes out, metres',
      readWith: 'CSV',
      make: async () => lengthsCsv(await linedUp()),
    },
    ...pictures.map(({ picture, path }): HandoverFile => ({
      path,
      what: 'picture with marks pointed out',
      readWith: 'the picture as it was given',
      make: async () => '',
      stored: picture.body.picture.sha256,
    })),
  ];
}

async function check(db: Database, productionId: string, day: HandoverDay, { picture, take }: Pick<LinedUp, 'picture' | 'take'>, nets: Map<string, OfSet>): Promise<LinedUp['checked']> {
  const mounted = day.mounted(take);
  if (!mounted) return { problem: 'the camera package is not complete' };
  const setup = day.setupOf(take).body;
  if (!nets.has(setup.setId)) nets.set(setup.setId, netOf(day, setup.setId));
  const known = await lensEvidence(db, productionId, mounted, day.all, day.find);
  const asked = lineUpQuestion({ picture: picture.body, take: take.body, setup, mounted, ...nets.get(setup.setId)!, ...known });
  if ('problem' in asked) return asked;
  try {
    return checkLineUp(asked.question);
  } catch (error) {
    if (error instanceof CoreError) return { problem: error.message };
    throw error;
  }
}

interface OfSet {
  net: SolvedNet | null;
  measured: NetInput;
}

function netOf({ find, all }: HandoverDay, setId: string): OfSet {
  const set = find('set', setId);
  const ofSet = <T extends { body: { setId: string } }>(list: readonly T[]): T[] => list.filter((r) => r.body.setId === setId);
  if (!set) return { net: null, measured: { facts: [] } };
  const net = adjustedNet(set, ofSet(all('tie')), ofSet(all('fact')));
  return { net: 'problem' in net ? null : net, measured: net.input };
}

const HEADER = [
  'take',
  'file',
  'status',
  'frame',
  'x',
  'y',
  'z',
  'qx',
  'qy',
  'qz',
  'qw',
  'focal_mm',
  'sigma_focal_mm',
  'sigma_x',
  'sigma_y',
  'sigma_z',
  'sigma_along_axis',
  'rms_px',
  'unit',
  'up',
  'says',
];

function placesCsv(list: readonly LinedUp[], day: HandoverDay): string {
  const space = spaceOf(day.wishes);
  const into = intoSpace(space);
  const rows = list.map(({ take, path, checked }) => {
    const name = [labelOf(take), path];
    const { lineUp: l, report } = 'problem' in checked ? { lineUp: null, report: null } : checked;
    if (!l || l.status === 'failed') return [...name, 'failed', ...Array<string>(15).fill(''), space.unit, space.up, l ? (l.reason ?? '') : (checked as { problem: string }).problem];
    return [
      ...[...name, l.status, l.frame, ...into.place(l.position!), ...into.rotation(l.rotation!), l.focalMm!, l.sigmaFocalMm!, ...into.spread([...l.sigmaPositionM!])],
      ...[into.perMetre * l.sigmaAlongAxisM!, l.rmsPx!, space.unit, space.up, report?.sentence ?? ''],
    ];
  });
  return writeCsv([HEADER, ...rows]);
}

function marksCsv(list: readonly LinedUp[]): string {
  const rows = list.flatMap(({ picture, take, path, checked }) => {
    const found = new Map('problem' in checked ? [] : checked.lineUp.marks.map((m) => [m.id, m] as const));
    return picture.body.marks.map((m) => {
      const off = found.get(m.mark);
      return [labelOf(take), path, m.mark, m.x, m.y, off ? Number(off.dxPx.toFixed(3)) : '', off ? Number(off.dyPx.toFixed(3)) : '', off?.left ? 'yes' : ''];
    });
  });
  return writeCsv([['take', 'file', 'mark', 'x_px', 'y_px', 'off_x_px', 'off_y_px', 'left_out'], ...rows]);
}

function lengthsCsv(list: readonly LinedUp[]): string {
  const rows = list.flatMap(({ take, path, checked }) =>
    'problem' in checked
      ? []
      : checked.lineUp.facts.map(({ fact, offM, left }) => [labelOf(take), path, netFactWords(fact), 'm' in fact ? fact.m : '', fact.sigmaM, Number(offM.toFixed(5)), left ? 'yes' : '']),
  );
  return writeCsv([['take', 'file', 'what', 'measured_m', 'sigma_m', 'off_m', 'left_out'], ...rows]);
}
