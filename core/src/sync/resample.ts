/** One channel of sound. */
export interface Sound {
  samples: Float32Array;
  rateHz: number;
}

/** Zero crossings of the kernel to each side. */
const LOBES = 8;

/**
 * Places between two samples that have a kernel of their own: to the nearest of them is 2 per mille of a sample, microseconds of sound.
 * Sines computed for each sample took ten times as long as all else, one table looked up by distance four times.
 */
const PHASES = 256;

/** For each phase the kernel at `taps` samples around it, cut off at `cut` of the source's Nyquist frequency. */
function kernels(cut: number): { table: Float32Array; taps: number; before: number } {
  const reach = LOBES / cut;
  const before = Math.floor(reach);
  const taps = 2 * before + 1;
  const table = new Float32Array((PHASES + 1) * taps);
  for (let phase = 0; phase <= PHASES; phase += 1)
    for (let k = 0; k < taps; k += 1) {
      const x = (k - before - phase / PHASES) * cut;
      if (Math.abs(x) >= LOBES) continue;
      table[phase * taps + k] = cut * (x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x)) * (0.5 + 0.5 * Math.cos((Math.PI * x) / LOBES));
    }
  return { table, taps, before };
}

/**
 * The same sound at another rate, from a time for a length, by a windowed sinc whose cut-off is the lower of both Nyquist frequencies.
 * Far down it averages whole groups of samples first: what that folds back lies in the notches of the average.
 */
export function resample(sound: Sound, rateHz: number, fromS = 0, lengthS = sound.samples.length / sound.rateHz - fromS): Sound {
  const group = Math.max(1, Math.floor(sound.rateHz / (4 * rateHz)));
  const source = group > 1 ? averaged(sound, group) : sound;
  // the middle of a group stands for it
  const shift = (group - 1) / 2 / sound.rateHz;
  const step = source.rateHz / rateHz;
  const cut = Math.min(1, rateHz / source.rateHz);
  const { table, taps, before } = kernels(cut);
  const count = Math.max(0, Math.floor(lengthS * rateHz));
  const out = new Float32Array(count);
  const { samples } = source;
  for (let i = 0; i < count; i += 1) {
    const at = (fromS - shift) * source.rateHz + i * step;
    const whole = Math.floor(at);
    const row = Math.round((at - whole) * PHASES) * taps;
    const start = whole - before;
    const last = Math.min(taps, samples.length - start);
    let v = 0;
    for (let k = Math.max(0, -start); k < last; k += 1) v += samples[start + k] * table[row + k];
    out[i] = v;
  }
  return { samples: out, rateHz };
}

function averaged({ samples, rateHz }: Sound, group: number): Sound {
  const n = Math.floor(samples.length / group);
  const out = new Float32Array(n);
  for (let i = 0; i < n; i += 1) {
    let sum = 0;
    for (let k = 0; k < group; k += 1) sum += samples[i * group + k];
    out[i] = sum / group;
  }
  return { samples: out, rateHz: rateHz / group };
}
