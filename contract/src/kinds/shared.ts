import type { LengthUnit } from '@mesure/core';

/** A length as it was measured: the form a person typed stays beside the value. */
export interface MeasuredLength {
  typed: string;
  unit: LengthUnit;
  valueM: number;
  /** as the tape or laser states it; taken as two sigma */
  toleranceM: number;
  /** what it was measured with; missing: nobody said */
  instrument?: string;
  /** readings that `valueM` is the mean of, when it was measured more than once */
  repeatsM?: number[];
}
/** An angle as it was read; positive tilts the lens up, and rolls the camera clockwise as seen from behind it. */
export interface AngleReading {
  typed: string;
  valueRad: number;
  /** taken as two sigma */
  toleranceRad: number;
  instrument?: string;
}
export const INSTRUMENTS = ['tape', 'laser', 'inclinometer', 'total station', 'typed'] as const;
/** Where on the camera a height was taken. The offset to the entrance pupil goes with it and is applied. */
export const HEIGHT_PLACES = ['lens axis', 'body base', 'dolly head'] as const;
export type HeightPlace = (typeof HEIGHT_PLACES)[number];
export interface HeightReading extends MeasuredLength {
  takenAt: HeightPlace;
  offsetM: number;
}
/** For what names marks: the name that a mark has from now on. */
export const renaming =
  (from: string, to: string) =>
  (mark: string): string =>
    mark === from ? to : mark;
/** A mark of the set as it was pointed out in a picture, px of it. */
export interface PointedMark {
  mark: string;
  x: number;
  y: number;
}
/** A picture whose mark got another name: where both are pointed out, the one that stays is right. */
export const renamedInPicture = <B extends { marks: PointedMark[] }>(body: B, from: string, to: string): B => ({
  ...body,
  marks: body.marks.some((m) => m.mark === to) ? body.marks.filter((m) => m.mark !== from) : body.marks.map((m) => ({ ...m, mark: renaming(from, to)(m.mark) })),
});
/** How a property of a part came to be known. */
export const KNOWLEDGE = ['unknown', 'stated', 'measured'] as const;
export type Knowledge = (typeof KNOWLEDGE)[number];
export interface FileRef {
  sha256: string;
  name: string;
}
