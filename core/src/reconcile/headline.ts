import type { Undecided } from '../anchor';
import { inWords } from '../units';
import type { ReconcileItem, Verdict } from './item';

/** The whole report in one sentence. `items`: the gravest first. */
export function headline(items: readonly ReconcileItem[], verdict: Verdict, undecided: Undecided | null | undefined, called: 'solve' | 'picture' | 'walk' = 'solve'): string {
  const first = items[0];
  const cause = first.causes[0];
  const doubted = undecided?.worlds.map((w) => w.wrong.join(' and '));
  if (doubted && verdict === 'contradicts' && first.quantity !== 'focalLength') return `One of these is wrong, and the solve does not say which: ${doubted.join(', or ')}.`;
  if (verdict === 'contradicts' && cause && cause.likelihood > 0.5) return `${cause.title}.`;
  if (verdict === 'contradicts' || verdict === 'drifts') return first.sentence;
  if (verdict === 'agrees') return agreement(items, called);
  return `This ${called} cannot judge the record.`;
}

const KINDS: Record<ReconcileItem['quantity'], readonly [one: string, several: string]> = {
  focalLength: ['focal length', 'focal lengths'],
  cameraHeight: ['camera height', 'camera heights'],
  length: ['length', 'lengths'],
  distance: ['distance', 'distances'],
  tilt: ['tilt', 'tilts'],
  roll: ['roll', 'rolls'],
  squeeze: ['squeeze', 'squeezes'],
  principalX: ['principal point across', 'principal points across'],
  principalY: ['principal point down', 'principal points down'],
  witnessOffset: ['witness offset', 'witness offsets'],
  witnessAngle: ['witness turn', 'witness turns'],
};

/** What agrees, and what of the record it says nothing of: three agreeing lengths say no word for a focal length. */
function agreement(items: readonly ReconcileItem[], called: string): string {
  const unseen = (Object.keys(KINDS) as ReconcileItem['quantity'][]).flatMap((quantity) => {
    const mine = items.filter((i) => i.quantity === quantity);
    const dark = mine.filter((i) => i.verdict === 'not observable').length;
    if (dark === 0) return [];
    const [one, several] = KINDS[quantity];
    return [mine.length === 1 ? one : dark === mine.length ? several : `${dark} of ${mine.length} ${several}`];
  });
  return unseen.length === 0 ? `The record agrees with the ${called}.` : `What the ${called} shows of the record agrees. It cannot judge ${inWords(unseen)}.`;
}
