import { HANDOVER_PARTS, partOf, takeName, USUAL_TAKE_NAME, type ReceiverBody, type StoredRecord } from '@mesure/contract';
import { OWN_SPACE, spaceWords, type Space } from '@mesure/core';
import { SHOT_FILES } from '@mesure/formats';
import type { HandoverDay, HandoverFile } from './day';

/** Everything, as Mesure keeps it: how a day leaves where nobody said who gets it. */
export const AS_KEPT: Pick<ReceiverBody, 'without' | 'unit' | 'up' | 'addFrames' | 'takeName' | 'inFileNames'> = {
  without: [],
  ...OWN_SPACE,
  addFrames: 0,
  takeName: USUAL_TAKE_NAME,
  inFileNames: false,
};
export type Wishes = typeof AS_KEPT;

export const spaceOf = ({ unit, up }: Wishes): Space => ({ unit, up });

/** What a take is called by this receiver's pattern; not yet safe for a file. */
export const takeNameOf = (take: StoredRecord<'take'>, day: Pick<HandoverDay, 'day' | 'find'>, wishes: Wishes): string => {
  const setup = day.find('setup', take.body.setupId)?.body;
  return takeName(wishes.takeName, {
    scene: take.body.scene ?? setup?.scene ?? '',
    setup: setup?.name ?? '',
    slate: take.body.slate,
    take: take.body.take,
    camera: take.body.camera ?? day.find('package', take.body.packageId)?.body.camera ?? '',
    clip: take.body.clip ?? '',
    day: day.day.body.name,
    date: day.day.body.date,
  });
};

/** What the receiver takes, under the names that he wants. */
export function forReceiver(files: readonly HandoverFile[], wishes: Wishes): { files: HandoverFile[]; leftOut: number } {
  const taken = files.filter((f) => !wishes.without.includes(partOf(f.path)?.id ?? ''));
  const named = wishes.inFileNames ? taken.map((f) => ({ ...f, path: f.path.replace(/^(takes\/([^/]+)\/)([^/]+)$/, '$1$2_$3') })) : taken;
  return { files: named, leftOut: files.length - taken.length };
}

/** For CONTENTS.txt: what is other than Mesure keeps it, and what is not. */
export function wishesWords(name: string, wishes: Wishes): string[] {
  const fixed = SHOT_FILES.filter((f) => f.ownSpace).map((f) => `${f.file}: ${f.ownSpace}`);
  const lines = [`Made for ${name}.`];
  if (wishes.unit !== 'm' || wishes.up !== 'Y')
    lines.push(
      `Places in the camera and points files and in the tape nets are in ${spaceWords(spaceOf(wishes))}, and each file says so. Z up is Y up turned about X: (x, y, z) of metres with Y up is (x, -z, y).`,
      `Not so where a standard has its own: ${fixed.join('; ')}; DXF drawings have Z up always. solve.json, mark sheets, plans and all tables keep metres with Y up.`,
    );
  if (wishes.addFrames !== 0)
    lines.push(
      `Frame numbers in the camera and tracking files are those of the tracks ${wishes.addFrames > 0 ? 'and' : 'less'} ${Math.abs(wishes.addFrames)}. The tracks themselves, solve.json and all tables keep theirs.`,
    );
  const out = HANDOVER_PARTS.filter((p) => wishes.without.includes(p.id));
  if (out.length > 0) lines.push(`Left out at the receiver's wish: ${out.map((p) => p.title).join(', ')}.`);
  return lines;
}
