import { mountPackage, type StoredRecord } from '@mesure/contract';
import type { SolveResult } from '@mesure/core';
import { useFind } from '../../data';
import { Tick } from '../../ui/controls';
import { fixed } from '../../ui/format';

/** What of the lens is found with the rest. */
export interface AlsoFound {
  centre: boolean;
  squeeze: boolean;
}
export const alsoFound = (solve: SolveResult | undefined): AlsoFound => ({ centre: Boolean(solve?.found?.principalPx), squeeze: Boolean(solve?.found?.squeeze) });

/** Beside focal length and distortion; the squeeze only of a lens that squeezes, the centre of none that zooms. */
export function LensTicks({ take, zooms, value, onChange }: { take: StoredRecord<'take'>; zooms: boolean; value: AlsoFound; onChange: (now: AlsoFound) => void }) {
  const find = useFind();
  const pack = find('package', take.body.packageId);
  const mounted = pack ? mountPackage(pack.body, find) : null;
  const squeezes = mounted !== null && !('missing' in mounted) && mounted.lens.squeeze !== 1;
  return (
    <>
      {zooms ? null : (
        <Tick
          title="Find the principal point too"
          detail="Where the lens does not sit over the middle of the picture, or the picture was cropped or moved after it. The camera must roll a little during the take."
          on={value.centre}
          onPress={() => onChange({ ...value, centre: !value.centre })}
          testID="find-centre"
        />
      )}
      {squeezes ? (
        <Tick
          title="Find the squeeze too"
          detail="Near focus many anamorphic lenses squeeze less than is marked."
          on={value.squeeze}
          onPress={() => onChange({ ...value, squeeze: !value.squeeze })}
          testID="find-squeeze"
        />
      ) : null}
    </>
  );
}

/** What was found of the lens in a take, in sentences; empty where nothing was asked for. */
export function lensFoundWords(solve: SolveResult): string {
  const { distortion, found, width, height } = solve;
  const words: string[] = [];
  if (distortion.mode === 'free' || distortion.mode === 'guided') {
    const k = distortion.model === 'radial' ? distortion.k : [];
    const by = Object.entries(distortion.sigma ?? {}).map(([name, sigma]) => `${name} ${fixed(k[Number(name.slice(1)) - 1] ?? null, 3)} ± ${fixed(sigma, 3)}`);
    words.push(
      `Distortion ${distortion.mode === 'free' ? 'found in this take' : 'as the edges tell it, adjusted by this take'}: ${by.join(', ')}, over ${fixed(distortion.normalisedWithMm, 2)} mm; a plate says it better.`,
    );
  }
  const at = found?.principalPx;
  if (at) {
    const side = (px: number, plus: string, minus: string) => `${fixed(Math.abs(px), 1)} px ${px < 0 ? minus : plus}`;
    words.push(
      at.told
        ? `Principal point ${side(at.x - width / 2, 'right of', 'left of')} and ${side(at.y - height / 2, 'below', 'above')} the middle, ± ${fixed(at.sigmaX, 1)} and ± ${fixed(at.sigmaY, 1)} px.`
        : 'Principal point: not told by this take, left as it was known.',
    );
  }
  if (found?.squeeze) words.push(found.squeeze.told ? `Squeeze ${fixed(found.squeeze.value, 3)} ± ${fixed(found.squeeze.sigma, 3)}.` : 'Squeeze: not told by this take, left as it was recorded.');
  return words.length > 0 ? `${words.join(' ')} ` : '';
}
