import { KNOWLEDGE, type Knowledge } from './shared';
import { defineKind } from './define';

export const BREATHING = ['unknown', 'none', 'some', 'measured'] as const;
export type Breathing = (typeof BREATHING)[number];
export interface LensBody {
  name: string;
  kind: 'prime' | 'zoom';
  minFocalMm: number;
  maxFocalMm: number;
  squeeze: number;
  serial: string;
  tStopMin?: number | null;
  tStopMax?: number | null;
  closeFocusM?: number | null;
  breathing?: Breathing;
  /** entrance pupil in front of the sensor mark */
  pupilMm?: number | null;
  pupilSource?: Knowledge;
  imageCircleMm?: number | null;
  /** anamorphic: the squeezed axis against the picture's width, degrees from right towards down */
  axisDeg?: number | null;
}

export const lensKind = defineKind<LensBody>({
  noun: 'lens',
  tell: (b) => b.name,
  fields: {
    name: 'name',
    kind: 'prime or zoom',
    minFocalMm: 'shortest focal length',
    maxFocalMm: 'longest focal length',
    squeeze: 'squeeze',
    serial: 'serial number',
    tStopMin: 'widest stop',
    tStopMax: 'smallest stop',
    closeFocusM: 'close focus',
    breathing: 'breathing',
    pupilMm: 'entrance pupil',
    pupilSource: 'how the entrance pupil is known',
    imageCircleMm: 'image circle',
    axisDeg: 'axis of the squeeze',
  },
  schema: ({ Joi, name, focalMm, stop }) =>
    Joi.object({
      name: name.required(),
      kind: Joi.string().valid('prime', 'zoom').required(),
      minFocalMm: focalMm.required(),
      maxFocalMm: focalMm.min(Joi.ref('minFocalMm')).required(),
      squeeze: Joi.number().min(1).max(2.5).required(),
      serial: Joi.string().allow('').max(60).required(),
      tStopMin: stop,
      tStopMax: stop,
      closeFocusM: Joi.number().greater(0).max(100).allow(null),
      breathing: Joi.string().valid(...BREATHING),
      pupilMm: Joi.number().min(-500).max(1000).allow(null),
      pupilSource: Joi.string().valid(...KNOWLEDGE),
      imageCircleMm: Joi.number().min(2).max(200).allow(null),
      axisDeg: Joi.number().min(-90).max(90).allow(null),
    }),
  references: {},
  merge: {},
  writes: 'record',
  hides: 'record',
  leaves: 'the kit list: lens and serial number of each take',
});
