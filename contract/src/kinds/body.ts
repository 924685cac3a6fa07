import { KNOWLEDGE, type Knowledge } from './shared';
import { defineKind } from './define';

export interface RecordingMode {
  id: string;
  name: string;
  widthPx: number;
  heightPx: number;
  sensorWidthMm: number;
  sensorHeightMm: number;
  /** photosites that the area has, where the camera scales them to the picture's size; as many as pixels otherwise */
  photositesX?: number | null;
  photositesY?: number | null;
  fps: number;
  /** time from the first to the last row of one frame */
  readoutMs?: number | null;
  readoutSource?: Knowledge;
}
export interface BodyBody {
  name: string;
  modes: RecordingMode[];
  /** the whole chip; a mode cannot see more */
  chipWidthMm?: number | null;
  chipHeightMm?: number | null;
  /** a stabiliser in the body, which must be off for tracking */
  stabiliser?: boolean;
}

export const bodyKind = defineKind<BodyBody>({
  noun: 'camera body',
  tell: (b) => b.name,
  fields: { name: 'name', modes: 'recording modes', chipWidthMm: 'width of the chip', chipHeightMm: 'height of the chip', stabiliser: 'stabiliser in the body' },
  schema: ({ Joi, id, name, chipMm }) => {
    const photosites = Joi.number().integer().min(16).max(65_536).allow(null);
    const mode = Joi.object({
      id: id.required(),
      name: name.required(),
      widthPx: Joi.number().integer().min(16).max(32_768).required(),
      heightPx: Joi.number().integer().min(16).max(32_768).required(),
      sensorWidthMm: Joi.number().min(1).max(120).required(),
      sensorHeightMm: Joi.number().min(1).max(120).required(),
      photositesX: photosites,
      photositesY: photosites,
      fps: Joi.number().min(1).max(1000).required(),
      readoutMs: Joi.number().greater(0).max(200).allow(null),
      readoutSource: Joi.string().valid(...KNOWLEDGE),
    }).custom((value: { widthPx: number; sensorWidthMm: number; photositesX?: number | null }, helpers) => {
      const pitchUm = (value.sensorWidthMm / (value.photositesX ?? value.widthPx)) * 1000;
      return pitchUm < 1 || pitchUm > 15 ? helpers.message({ custom: `the pixel pitch would be ${pitchUm.toFixed(2)} µm; sensors have 1 to 15 µm` }) : value;
    });
    return Joi.object({ name: name.required(), modes: Joi.array().items(mode).min(1).max(50).required(), chipWidthMm: chipMm, chipHeightMm: chipMm, stabiliser: Joi.boolean() });
  },
  references: {},
  merge: { lists: { modes: 'id' } },
  writes: 'record',
  hides: 'record',
  leaves: 'the kit list: body and mode of each take',
});
