import { bookPlate, type BookPlate, type BookRange, type ChartAtDistance, type GridReport } from '@mesure/core';
import type { LensBody, PlateBody } from './records';
import { opticsOf, lengthSigma, type MountedPackage } from './recorded-setup';

/** A plate with what was found in it and the package that it was shot with. */
export interface MeasuredPlate {
  id: string;
  plate: PlateBody;
  report: GridReport;
  mounted: MountedPackage;
}

/** An adapter makes another lens of it: only plates with the same factor belong into one book. */
const SAME_FACTOR = 0.003;

/** The plates of a package's lens book: of its lens, with its adapters' factor, in whatever mode they were shot. */
export function bookPlates(plates: readonly MeasuredPlate[], pack: MountedPackage): BookPlate[] {
  return plates.flatMap(({ id, plate, report, mounted }) => {
    if (plate.lensId !== pack.pack.lensId || Math.abs(factorOf(mounted) - factorOf(pack)) > SAME_FACTOR) return [];
    const p = bookPlate(id, { focalMm: plate.focalMm, focusM: plate.focusM }, report, opticsOf(mounted, plate.focalMm));
    return p ? [p] : [];
  });
}

/** By how much the adapters of a package multiply the focal length. */
export const factorOf = (m: MountedPackage): number => m.adapter?.factor ?? 1;

/** What the lens can be set to, as far as it is noted. */
export function bookRange(lens: LensBody): BookRange {
  return { minFocalMm: lens.minFocalMm, maxFocalMm: lens.maxFocalMm, closeFocusM: lens.closeFocusM ?? 0.6, focusMatters: (lens.breathing ?? 'unknown') !== 'none' };
}

/** Plates of one setting with the chart at several measured distances: what tells the entrance pupil. */
export interface PupilGroup {
  focalMm: number;
  focusM: number | null;
  recordedMm: number;
  charts: ChartAtDistance[];
}

/** Focus is read from a barrel: so far apart two readings may be one setting. */
const SAME_SETTING = 0.03;

export function pupilGroups(plates: readonly MeasuredPlate[], pack: MountedPackage): PupilGroup[] {
  const groups: PupilGroup[] = [];
  for (const { plate, report, mounted } of plates) {
    const distanceCells = report.plates[0]?.distanceCells ?? null;
    if (plate.lensId !== pack.pack.lensId || Math.abs(factorOf(mounted) - factorOf(pack)) > SAME_FACTOR || !plate.chartDistance || plate.cellM === null || distanceCells === null) continue;
    const chart = { distanceCells, cellM: plate.cellM, measuredM: plate.chartDistance.valueM, sigmaM: lengthSigma(plate.chartDistance) };
    const mine = groups.find((g) => g.focalMm === plate.focalMm && same(g.focusM, plate.focusM));
    if (mine) mine.charts.push(chart);
    else groups.push({ focalMm: plate.focalMm, focusM: plate.focusM, recordedMm: plate.focalMm * factorOf(mounted), charts: [chart] });
  }
  return groups.filter((g) => g.charts.length > 1);
}

const same = (a: number | null, b: number | null) => (a === null || b === null ? a === b : Math.abs(a / b - 1) < SAME_SETTING);
