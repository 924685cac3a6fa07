import { SQUEEZES } from '../solve/squeezed';

/** A mistake that practitioners know, given away by the ratio of solved to recorded. */
export interface KnownCause {
  cause: string;
  /** in words, for the person */
  title: string;
  ratio: number;
  /** spread of the ratio itself between makes and models, one sigma */
  spread: number;
  /** how common it is against the others */
  prior: number;
  /** what would put the record right, where one entry does; of a mode its id and name */
  correction?: { field: 'adapterFactor' | 'squeeze'; value: number } | { field: 'mode'; value: string; name: string } | { field: 'readoutMs'; value: number | null };
}

/** What else there is of the kit: what may have been on the camera instead of what was written down. */
export interface KitAround {
  /** other recording modes of the body */
  modes: { id: string; name: string; widthPx: number; heightPx: number; sensorWidthMm: number }[];
  /** other lenses of one focal length */
  lenses: { name: string; mm: number }[];
  /** factors of its adapters */
  adapters: number[];
}

export interface FocalContext {
  adapterFactor: number;
  squeeze: number;
  sensorWidthMm: number;
  /** as it is written on the lens, before the adapter */
  markedMm: number;
  image: { width: number; height: number };
  /** the tracks were asked for another squeeze, and showed none */
  squeezeHolds?: boolean;
  /** missing: nobody knows the kit */
  around?: KitAround;
}

/** Reducers and extenders in common use; the factor is engraved to two digits. */
const REDUCERS = [0.71, 0.64, 0.8];
const EXTENDERS = [1.4, 2];
/** Widths of common smaller sensors, mm, that get recorded as 36 mm. */
const SMALLER_SENSORS_MM = [24.9, 23.6, 22.3, 17.3];
/** Widths in photosites of a whole sensor over those of a windowed mode. */
const WINDOWS: [number, string][] = [
  [6144 / 4096, '6K recorded, 4K windowed'],
  [8192 / 6144, '8K recorded, 6K windowed'],
  [5120 / 4096, '5K recorded, 4K windowed'],
  [6144 / 5760, '6K recorded, 5.7K windowed'],
];
/** Squeezes of lenses that squeeze. */
const ANAMORPHIC = SQUEEZES.filter((s) => s !== 1);

/** Focal lengths that sets of primes are made in, mm. */
const PRIMES_MM = [12, 14, 16, 18, 21, 24, 25, 27, 28, 32, 35, 40, 50, 65, 75, 85, 100, 135];
/** Nearer than this another lens is the same one, differently made. */
const OTHER_LENS = 0.04;

/** Values that arise where two neighbouring digits change places; leading noughts are none. */
export function swappedDigits(text: string): string[] {
  const found = new Set<string>();
  const digits = [...text].flatMap((c, i) => (/\d/.test(c) ? [i] : []));
  for (let k = 0; k + 1 < digits.length; k += 1) {
    const [a, b] = [digits[k], digits[k + 1]];
    const letters = [...text];
    [letters[a], letters[b]] = [letters[b], letters[a]];
    const swapped = letters.join('');
    if (Number(swapped) > 0 && Number(swapped) !== Number(text)) found.add(swapped);
  }
  return [...found];
}

/** Where the kit is known, what is in it goes before what there is in the world. */
const IN_KIT = { lens: 0.4, mode: 0.8, adapter: 1 };
const NOT_IN_KIT = 0.15;

/** As it may have been read off a ring; a computed one has no end of digits. */
const mmWords = (mm: number): string => `${Number(mm.toFixed(2))} mm`;

/** Lenses, modes and adapters of the kit itself. */
function kitCauses({ markedMm, sensorWidthMm, image, adapterFactor, around }: FocalContext): KnownCause[] {
  if (!around) return [];
  const lenses = around.lenses
    .filter((l) => Math.abs(l.mm / markedMm - 1) > OTHER_LENS)
    .map((l): KnownCause => ({ cause: 'other-lens', title: `${l.name} was on the camera, not the ${mmWords(markedMm)}`, ratio: l.mm / markedMm, spread: 0.008, prior: IN_KIT.lens }));
  // a clip of another size would have been seen; one of the same shape may have been scaled
  const modes = around.modes
    .filter((m) => Math.abs((m.widthPx * image.height) / (m.heightPx * image.width) - 1) < 0.01 && Math.abs(m.sensorWidthMm / sensorWidthMm - 1) > 0.01)
    .map((m): KnownCause => ({
      cause: sensorWidthMm > m.sensorWidthMm ? 'windowed-mode' : 'larger-mode',
      title: `It was shot in ${m.name}, not in the mode that was written down`,
      ratio: sensorWidthMm / m.sensorWidthMm,
      spread: 0.003,
      prior: m.widthPx === image.width ? IN_KIT.mode : IN_KIT.mode / 2,
      correction: { field: 'mode', value: m.id, name: m.name },
    }));
  const adapters = around.adapters
    .filter((factor) => adapterFactor === 1 && Math.abs(factor - 1) > 0.01)
    .map((factor): KnownCause => ({
      cause: factor < 1 ? 'forgotten-reducer' : 'forgotten-extender',
      title: `The ×${factor} ${factor < 1 ? 'focal reducer' : 'extender'} was mounted and not written down`,
      ratio: factor,
      spread: 0.008,
      prior: IN_KIT.adapter,
      correction: { field: 'adapterFactor', value: factor },
    }));
  return [...lenses, ...modes, ...adapters];
}

export function focalCauses(c: FocalContext): KnownCause[] {
  const list: KnownCause[] = kitCauses(c);
  const inTheKit = { lens: (c.around?.lenses.length ?? 0) > 0, mode: (c.around?.modes.length ?? 0) > 0, adapter: (c.around?.adapters.length ?? 0) > 0 };
  const fromWorld = (what: keyof typeof inTheKit, prior: number): number => (inTheKit[what] ? NOT_IN_KIT * prior : prior);
  /** what the kit has is not told twice */
  const inKit = (cause: string, ratio: number): boolean => list.some((k) => k.cause === cause && Math.abs(k.ratio / ratio - 1) < 0.012);
  for (const mm of PRIMES_MM)
    if (Math.abs(mm / c.markedMm - 1) > OTHER_LENS && !inKit('other-lens', mm / c.markedMm))
      list.push({
        cause: 'other-lens',
        title: `${inTheKit.lens ? 'A lens' : 'The lens'} of ${mm} mm was on the camera, not the ${mmWords(c.markedMm)}`,
        ratio: mm / c.markedMm,
        spread: 0.008,
        prior: fromWorld('lens', 0.05),
      });
  for (const text of swappedDigits(String(Number(c.markedMm.toFixed(2)))))
    list.push({
      cause: 'swapped-digits',
      title: `Two digits of the focal length changed places: ${text} mm, not ${mmWords(c.markedMm)}`,
      ratio: Number(text) / c.markedMm,
      spread: 0.005,
      prior: 0.02,
    });
  if (c.adapterFactor === 1) {
    REDUCERS.filter((factor) => !inKit('forgotten-reducer', factor)).forEach((factor) =>
      list.push({
        cause: 'forgotten-reducer',
        title: `A ×${factor} focal reducer was mounted and not written down`,
        ratio: factor,
        spread: 0.008,
        prior: fromWorld('adapter', factor === 0.71 ? 1 : 0.4),
        correction: { field: 'adapterFactor', value: factor },
      }),
    );
    EXTENDERS.filter((factor) => !inKit('forgotten-extender', factor)).forEach((factor) =>
      list.push({
        cause: 'forgotten-extender',
        title: `A ×${factor} extender was mounted and not written down`,
        ratio: factor,
        spread: 0.015,
        prior: fromWorld('adapter', 0.5),
        correction: { field: 'adapterFactor', value: factor },
      }),
    );
  } else {
    list.push({
      cause: 'adapter-not-mounted',
      title: `The ×${c.adapterFactor} adapter was written down but not mounted`,
      ratio: 1 / c.adapterFactor,
      spread: 0.01,
      prior: 1,
      correction: { field: 'adapterFactor', value: 1 },
    });
    list.push({
      cause: 'adapter-counted-twice',
      title: `The ×${c.adapterFactor} adapter is already in the recorded focal length`,
      ratio: 1 / c.adapterFactor,
      spread: 0.01,
      prior: 0.3,
      correction: { field: 'adapterFactor', value: 1 },
    });
  }
  if (Math.abs(c.sensorWidthMm - 36) < 1) {
    SMALLER_SENSORS_MM.forEach((mm) =>
      list.push({ cause: 'full-frame-assumed', title: `Full frame was written down for a sensor about ${mm} mm wide`, ratio: c.sensorWidthMm / mm, spread: 0.02, prior: 0.6 }),
    );
  }
  WINDOWS.filter(([ratio]) => !inKit('windowed-mode', ratio)).forEach(([ratio, example]) =>
    list.push({ cause: 'windowed-mode', title: `The mode sees a smaller part of the sensor (${example})`, ratio, spread: 0.01, prior: fromWorld('mode', 0.4) }),
  );
  if (c.squeeze === 1 && !c.squeezeHolds) {
    ANAMORPHIC.forEach((s) =>
      list.push({
        cause: 'forgotten-squeeze',
        title: `An anamorphic lens of squeeze ${s} was written down as spherical`,
        ratio: 1 / s,
        spread: 0.02,
        prior: 0.3,
        correction: { field: 'squeeze', value: s },
      }),
    );
  }
  return list;
}

/** Another squeeze was on than was written down. Ratios are of the found squeeze over the recorded one. */
export const squeezeCauses = (recorded: number): KnownCause[] =>
  SQUEEZES.filter((s) => Math.abs(s / recorded - 1) > 0.01).map((s) => ({
    cause: 'other-squeeze',
    title: s === 1 ? `The lens does not squeeze; ${recorded} was written down` : `The lens squeezes ${s} times; ${recorded} was written down`,
    ratio: s / recorded,
    spread: 0.008,
    prior: 1,
    correction: { field: 'squeeze' as const, value: s },
  }));

/** Mistakes with lengths and heights. */
const LENGTH_CAUSES: readonly KnownCause[] = [
  { cause: 'inches-for-centimetres', title: 'Inches were taken for centimetres', ratio: 2.54, spread: 0.01, prior: 1 },
  { cause: 'centimetres-for-inches', title: 'Centimetres were taken for inches', ratio: 1 / 2.54, spread: 0.004, prior: 0.8 },
  { cause: 'feet-for-metres', title: 'Feet were taken for metres', ratio: 0.3048, spread: 0.003, prior: 0.8 },
  { cause: 'metres-for-feet', title: 'Metres were taken for feet', ratio: 1 / 0.3048, spread: 0.03, prior: 0.6 },
  { cause: 'decimal-point', title: 'The decimal point slipped by one place', ratio: 10, spread: 0.05, prior: 0.5 },
  { cause: 'decimal-point', title: 'The decimal point slipped by one place', ratio: 0.1, spread: 0.001, prior: 0.5 },
  { cause: 'feet-for-inches', title: 'Feet were taken for inches', ratio: 12, spread: 0.05, prior: 0.3 },
];

/** Where on a camera a height is taken instead of at its entrance pupil, and how far below that lies on most builds, m. */
const OTHER_PLACES: readonly [string, number, number][] = [
  ['the base of the body', 0.06, 0.015],
  ['the head of the dolly', 0.18, 0.03],
];

/**
 * Mistakes with one length or height as it was recorded.
 * @param recordedM as it stands in the record
 * @param otherFrames of a camera height: by how much the camera stands higher at the take's first and last frame, m
 */
export function lengthCauses(recordedM: number, quantity: 'cameraHeight' | 'length' | 'distance', otherFrames: readonly { frame: number; risesM: number }[] = []): KnownCause[] {
  // as a tape is read: to the millimetre where it was, else to the centimetre
  const text = Math.abs(recordedM * 100 - Math.round(recordedM * 100)) < 1e-6 ? recordedM.toFixed(2) : recordedM.toFixed(3);
  const swapped = swappedDigits(text).map((t): KnownCause => ({
    cause: 'swapped-digits',
    title: `Two digits changed places: ${t} m was read, ${text} m written`,
    ratio: Number(t) / recordedM,
    spread: 0.002,
    prior: 0.12,
  }));
  if (quantity !== 'cameraHeight') return [...LENGTH_CAUSES, ...swapped];
  const places = OTHER_PLACES.map(([place, below, spread]): KnownCause => ({
    cause: 'height-at-other-place',
    title: `The height was taken at ${place}, and the way up to the entrance pupil not added`,
    ratio: (recordedM + below) / recordedM,
    spread: spread / recordedM,
    prior: 0.25,
  }));
  const frames = otherFrames.map(({ frame, risesM }): KnownCause => ({
    cause: 'height-of-other-frame',
    title: `The height is that of frame ${frame}`,
    ratio: (recordedM - risesM) / recordedM,
    spread: 0.003,
    prior: 0.25,
  }));
  return [...LENGTH_CAUSES, ...swapped, ...places, ...frames];
}

/** What an angle would be if a mistake was made with it, degrees. */
export interface AngleCause {
  cause: string;
  title: string;
  deg: number;
  spreadDeg: number;
  prior: number;
}

/** As near as an inclinometer is read. */
const ANGLE_SPREAD_DEG = 0.15;

/**
 * Mistakes with one tilt or roll as it was recorded.
 * @param otherDeg the other of the two, where it was recorded: they change places
 */
export function angleCauses(recordedDeg: number, of: 'tilt' | 'roll', otherDeg: number | null): AngleCause[] {
  const text = Math.abs(recordedDeg).toFixed(1);
  const sign = Math.sign(recordedDeg) || 1;
  const by = (cause: string, title: string, deg: number, prior: number): AngleCause => ({ cause, title, deg, spreadDeg: ANGLE_SPREAD_DEG, prior });
  return [
    by('sign-turned', `The ${of} was entered with the other sign`, -recordedDeg, 1),
    ...(otherDeg === null ? [] : [by('tilt-for-roll', 'Tilt and roll changed places', otherDeg, 0.4), by('tilt-for-roll', 'Tilt and roll changed places, with the other sign', -otherDeg, 0.15)]),
    by('other-face', `The ${of} was read on another face of the instrument: it counts from upright`, sign * (90 - Math.abs(recordedDeg)), 0.3),
    by('decimal-point', 'The decimal point slipped by one place', recordedDeg / 10, 0.3),
    by('decimal-point', 'The decimal point slipped by one place', recordedDeg * 10, 0.15),
    ...swappedDigits(text).map((t) => by('swapped-digits', `Two digits changed places: ${t}° was read, ${text}° written`, sign * Number(t), 0.15)),
  ];
}
