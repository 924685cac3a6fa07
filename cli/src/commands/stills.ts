import { checkWalk, lookAtStill, oneAfterTheOther, STILLS_OVERLAP, type WalkPicture } from '@mesure/core';
import path from 'node:path';
import { parse, readBytes, writeJson } from '../io';
import { UsageError } from '../usage-error';
import type { Command } from './index';

export const stills: Command = {
  name: 'stills',
  usage: 'stills PICTURE PICTURE … [--overlap 0.25] [--round]',
  summary: 'Do the pictures of a stills walk tie together, and is each of them sharp and evenly exposed?',
  details: [
    'PICTURE    in the order in which they were taken, two at least.',
    '--overlap  share of the frame that neighbours should have in common (0.25).',
    '--round    the last one is the neighbour of the first.',
    'Gives of each pair the overlap (estimated from the pictures), the matches and the difference in exposure in stops; gaps; remarks.',
    'Exit 1 when there is a gap or a remark.',
  ],
  example: 'mesure stills wall_1.jpg wall_2.jpg wall_3.jpg --overlap 0.3',
  async run(args) {
    const { values, positionals } = parse(args, { overlap: { type: 'string' }, round: { type: 'boolean' } });
    if (positionals.length < 2) throw new UsageError('give two pictures at least');
    const overlap = values.overlap === undefined ? STILLS_OVERLAP : Number(values.overlap);
    if (!(overlap >= 0.1 && overlap <= 0.9)) throw new UsageError(`--overlap ${values.overlap} must be a number from 0.1 to 0.9`);
    const names = positionals.map((file) => path.basename(file));
    const pictures: WalkPicture[] = [];
    for (const [station, file] of positionals.entries()) {
      const bytes = readBytes(file);
      const { readGray } = await import('@mesure/formats/picture');
      const { readPictureNotes } = await import('@mesure/formats/exif');
      const image = await readGray(bytes, file);
      pictures.push({ station, look: lookAtStill(image), notes: await readPictureNotes(bytes, { widthPx: image.widthPx, heightPx: image.heightPx }) });
    }
    const { pairs, gaps, remarks } = checkWalk(pictures, oneAfterTheOther(names.length, values.round === true), overlap, names);
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
  },
};
