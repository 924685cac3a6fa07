import { SOLVE_TICK_NAMES, SOLVE_TICKS, type MountedPackage, type SolveTickName } from '@mesure/contract';
import type { SolveResult, SolveSetup } from '@mesure/core';
import { Tick } from '../../ui/controls';
import { fixed } from '../../ui/format';

/** What may be on beside, for this camera. */
export function SolveTickList({
  mounted,
  zooms,
  value,
  onChange,
}: {
  mounted: MountedPackage;
  zooms: boolean;
  value: Record<SolveTickName, boolean>;
  onChange: (name: SolveTickName, on: boolean) => void;
}) {
  return SOLVE_TICK_NAMES.filter((name) => SOLVE_TICKS[name].offered(mounted, zooms)).map((name) => (
    <Tick key={name} title={SOLVE_TICKS[name].title} detail={SOLVE_TICKS[name].detail(mounted)} on={value[name]} onPress={() => onChange(name, !value[name])} testID={`tick-${name}`} />
  ));
}

/** What was found of the lens in a take, in sentences; empty where nothing was asked for. */
export function lensFoundWords(solve: SolveResult, setup: SolveSetup): string {
  const { distortion, found, width, height } = solve;
  const words: string[] = setup.readout ? [`Solved with a readout skew of ${fixed(setup.readout.ms, 1)} ms taken out.`] : [];
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
