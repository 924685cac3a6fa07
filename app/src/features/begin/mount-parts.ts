import type { RecordBodies, StoredRecord } from '@mesure/contract';
import { newId } from '../../data';
import { readNumber } from '../../ui/format';

/** What is typed on the way to a mounted camera. A part of the kit is named by its id; one that is new has its own fields. */
export interface MountText {
  camera: string;
  /** NEW, or one of the kit */
  bodyId: string;
  modeId: string;
  body: string;
  widthPx: string;
  heightPx: string;
  sensorWidthMm: string;
  sensorHeightMm: string;
  lensId: string;
  lens: string;
  serial: string;
  kind: 'prime' | 'zoom';
  minFocalMm: string;
  maxFocalMm: string;
  squeeze: string;
  /** of a zoom of the kit: where it stands */
  focalMm: string;
}
export const NEW = 'new';
export const number = (text: string): number => readNumber(text.replace(/\s*(mm|px)$/i, '')) ?? Number.NaN;

export const BODY_FIELDS: Record<string, string> = {
  name: 'body',
  'modes.0.widthPx': 'widthPx',
  'modes.0.heightPx': 'heightPx',
  'modes.0.sensorWidthMm': 'sensorWidthMm',
  'modes.0.sensorHeightMm': 'sensorHeightMm',
  'modes.0': 'sensorWidthMm',
};
export const LENS_FIELDS: Record<string, string> = { name: 'lens' };

export interface MountParts {
  /** null: of the kit */
  body: RecordBodies['body'] | null;
  lens: RecordBodies['lens'] | null;
  pack: RecordBodies['package'];
  /** the mode and the lens that it comes to, for what the camera sees */
  mode: { widthPx: number; sensorWidthMm: number };
  optics: { minFocalMm: number; maxFocalMm: number; squeeze: number };
}

/** What was typed as records; what is no number becomes one that no schema takes. */
export function partsOf(v: MountText, fps: number, bodies: readonly StoredRecord<'body'>[], lenses: readonly StoredRecord<'lens'>[]): MountParts {
  const [ownBody, ownLens] = [bodies.find((b) => b.id === v.bodyId), lenses.find((l) => l.id === v.lensId)];
  const ownMode = ownBody?.body.modes.find((m) => m.id === v.modeId) ?? ownBody?.body.modes[0];
  const minFocalMm = number(v.minFocalMm);
  const mode = ownMode ?? {
    id: newId(),
    name: 'as used',
    widthPx: number(v.widthPx),
    heightPx: number(v.heightPx),
    sensorWidthMm: number(v.sensorWidthMm),
    sensorHeightMm: number(v.sensorHeightMm),
    fps,
  };
  const lens = ownLens?.body ?? {
    name: v.lens.trim(),
    kind: v.kind,
    minFocalMm,
    maxFocalMm: v.kind === 'zoom' ? number(v.maxFocalMm) : minFocalMm,
    squeeze: number(v.squeeze),
    serial: v.serial.trim(),
  };
  const focalMm = ownLens && ownLens.body.kind === 'zoom' && v.focalMm.trim() !== '' ? number(v.focalMm) : lens.minFocalMm;
  return {
    body: ownBody ? null : { name: v.body.trim(), modes: [mode as RecordBodies['body']['modes'][number]] },
    lens: ownLens ? null : lens,
    pack: { camera: v.camera.trim().toUpperCase(), bodyId: ownBody?.id ?? newId(), modeId: mode.id, lensId: ownLens?.id ?? newId(), adapterId: null, focalMm },
    mode,
    optics: lens,
  };
}
