import { DIRECTIONS, type GridReport, type MapCount } from '@mesure/core';
import type { GivenLens, PlateBody } from './kinds';

/** What speaks against how a map or coefficients are read, and the reading that would explain it, where one would. */
export interface GivenDoubt {
  code: 'other-way' | 'other-amount' | 'stretched';
  words: string;
  /** for a button */
  title: string | null;
  reading: GivenLens | null;
}

/** A plate of the same lens that was measured here. */
export interface KnownBend {
  plate: Pick<PlateBody, 'focalMm' | 'given'>;
  report: Pick<GridReport, 'cornerDisplacementPct' | 'status'>;
}

/** Focal lengths so near show nearly the same bend. */
const NEAR_FOCAL = 0.25;
/** Below this, % at the corner, two lenses that bend either way are told apart by nothing. */
const CLEAR_PCT = 0.2;
const TWICE = 2;
const STRETCH = 0.003;

/** The same file, read to go the other way. */
export function otherWay(given: GivenLens): GivenLens {
  if (given.what === 'map') return { ...given, way: given.way === 'undistorts' ? 'distorts' : 'undistorts' };
  return { ...given, direction: given.direction === DIRECTIONS[0] ? DIRECTIONS[1] : DIRECTIONS[0] };
}

/**
 * A map does not say which way it goes, nor coefficients what they are over: a plate of the same lens does.
 * @param known plates of this lens, itself not among them
 */
export function givenDoubts(
  plate: Pick<PlateBody, 'focalMm' | 'given'>,
  report: Pick<GridReport, 'cornerDisplacementPct' | 'status'>,
  count: MapCount | undefined,
  known: readonly KnownBend[],
): GivenDoubt[] {
  const { given } = plate;
  if (!given) return [];
  const doubts: GivenDoubt[] = [];
  if (given.what === 'map' && count && Math.abs(count.middleStretch - 1) > STRETCH) {
    const stretch = Number((given.stretch * count.middleStretch).toFixed(4));
    doubts.push({
      code: 'stretched',
      words: `In the middle of the map an undistorted pixel shows ${count.middleStretch.toFixed(3)} times as much across as down, which no lens does: the undistorted picture has pixels of another shape.`,
      title: `Read its pixels as ${stretch} times as wide`,
      reading: { ...given, stretch },
    });
  }
  const mine = report.cornerDisplacementPct;
  const near = known
    .filter((k) => !k.plate.given && k.report.status === 'usable' && k.report.cornerDisplacementPct !== null && Math.abs(k.plate.focalMm / plate.focalMm - 1) < NEAR_FOCAL)
    .sort((a, b) => Math.abs(a.plate.focalMm - plate.focalMm) - Math.abs(b.plate.focalMm - plate.focalMm))[0];
  if (!near || mine === null) return doubts;
  const theirs = near.report.cornerDisplacementPct!;
  const say = (pct: number) => `${pct < 0 ? 'barrel' : 'pincushion'}, ${Math.abs(pct).toFixed(2)} % at the corner`;
  const plateAt = `The plate at ${near.plate.focalMm} mm of this lens shows ${say(theirs)}; this shows ${say(mine)}`;
  if (Math.abs(mine) < CLEAR_PCT || Math.abs(theirs) < CLEAR_PCT) return doubts;
  if (mine * theirs < 0) {
    const angle = given.what === 'coefficients' && given.formula === 'angle';
    doubts.push({ code: 'other-way', words: `${plateAt}. It goes the other way, or is of another lens.`, title: angle ? null : 'Read it the other way', reading: angle ? null : otherWay(given) });
  } else if (mine / theirs > TWICE || theirs / mine > TWICE)
    doubts.push({ code: 'other-amount', words: `${plateAt}. It is over something else, or of another lens or setting.`, title: null, reading: null });
  return doubts;
}
