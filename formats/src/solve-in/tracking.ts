import { matToQuat, mulMat3, mulMatVec, type ForeignFrame, type ForeignMove, type Mat3, type Vec3 } from '@mesure/core';
import { FormatError } from '../format-error';
import { turnAbout } from './turns';

interface Sample {
  static?: { camera?: { activeSensorPhysicalDimensions?: { width?: number }; captureFrameRate?: { num?: number; denom?: number } } };
  timing?: { sampleRate?: { num?: number; denom?: number }; sequenceNumber?: number };
  lens?: { pinholeFocalLength?: number };
  transforms?: { translation?: { x?: number; y?: number; z?: number }; rotation?: { pan?: number; tilt?: number; roll?: number } }[];
  mesure?: { frame?: number };
}

/** The schema's camera looks along its +Y with its +Z up; ours along its −Z with its +Y up. */
const FROM_OURS: Mat3 = [1, 0, 0, 0, 0, -1, 0, 1, 0];

/**
 * Samples after the SMPTE open tracking metadata schema, a line or a list entry a frame: metres, Z up; pan about Z, then tilt about X, then roll about Y,
 * degrees; of several transforms each is in the one before it.
 * @throws FormatError with file and line
 */
export function readTrackingSamples(text: string, file: string): ForeignMove {
  const samples = samplesOf(text, file);
  const [first] = samples;
  const rate = first.timing?.sampleRate ?? first.static?.camera?.captureFrameRate;
  const sensorMm = first.static?.camera?.activeSensorPhysicalDimensions?.width ?? null;
  const frames = samples.map((s, i): ForeignFrame => {
    if (!Array.isArray(s.transforms) || s.transforms.length === 0) throw new FormatError(file, i + 1, 'transforms', 'the sample has none');
    let position: Vec3 = [0, 0, 0];
    let turn: Mat3 = [1, 0, 0, 0, 1, 0, 0, 0, 1];
    for (const t of s.transforms) {
      const at = mulMatVec(turn, ['x', 'y', 'z'].map((k) => numberIn(t.translation, k, file, i)) as unknown as Vec3);
      position = position.map((v, k) => v + at[k]) as unknown as Vec3;
      const [pan, tilt, roll] = ['pan', 'tilt', 'roll'].map((k) => numberIn(t.rotation, k, file, i));
      turn = mulMat3(turn, mulMat3(turnAbout('Z', pan), mulMat3(turnAbout('X', tilt), turnAbout('Y', roll))));
    }
    const focal = s.lens?.pinholeFocalLength;
    return { frame: s.mesure?.frame ?? s.timing?.sequenceNumber ?? i, position, rotation: matToQuat(mulMat3(turn, FROM_OURS)), focal: typeof focal === 'number' && focal > 0 ? { mm: focal } : null };
  });
  return {
    format: 'open tracking metadata',
    frames,
    points: [],
    metres: 1,
    up: 'Z',
    pictureWidthPx: null,
    fps: rate?.num && rate.denom ? rate.num / rate.denom : null,
    notes: [...(samples[0].mesure?.frame === undefined ? ['Frames are its sequence numbers.'] : []), ...(sensorMm === null ? [] : [`It was made with a sensor ${sensorMm} mm wide.`])],
  };
}

function samplesOf(text: string, file: string): Sample[] {
  const whole = text.trim();
  if (whole.startsWith('[')) {
    const list = parsed(whole, file, null) as Sample[];
    if (list.length === 0) throw new FormatError(file, null, null, 'holds no samples');
    return list;
  }
  const lines = whole.split(/\r?\n/).filter((l) => l.trim() !== '');
  return lines.map((l, i) => parsed(l, file, i + 1) as Sample);
}

function parsed(text: string, file: string, line: number | null): unknown {
  try {
    const value: unknown = JSON.parse(text);
    if (value === null || typeof value !== 'object') throw new Error();
    return value;
  } catch {
    throw new FormatError(file, line, null, 'is no JSON object');
  }
}

function numberIn(of: object | undefined, key: string, file: string, i: number): number {
  const v = (of as Record<string, unknown> | undefined)?.[key];
  if (typeof v !== 'number' || !Number.isFinite(v)) throw new FormatError(file, i + 1, key, 'is not a number');
  return v;
}
