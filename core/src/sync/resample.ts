/** One channel of sound. */
export interface Sound {
  samples: Float32Array;
  rateHz: number;
}

/** Zero crossings of the kernel to each side. */
const LOBES = 8;

/** The kernel by a table: its sines would take ten times as long as all else. */
const KERNEL_STEPS = 1024;
const KERNEL = Float64Array.from({ length: LOBES * KERNEL_STEPS + 2 }, (_, i) => {
  const x = i / KERNEL_STEPS;
  if (x >= LOBES) return 0;
  return (x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x)) * (0.5 + 0.5 * Math.cos((Math.PI * x) / LOBES));
});

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
  const reach = LOBES / cut;
  const count = Math.max(0, Math.floor(lengthS * rateHz));
  const out = new Float32Array(count);
  const { samples } = source;
  for (let i = 0; i < count; i += 1) {
    const at = (fromS - shift) * source.rateHz + i * step;
    const first = Math.max(0, Math.ceil(at - reach));
    const last = Math.min(samples.length - 1, Math.floor(at + reach));
    let v = 0;
    for (let k = first; k <= last; k += 1) {
      v += samples[k] * KERNEL[Math.round(Math.abs(k - at) * cut * KERNEL_STEPS)];
    }
    out[i] = v * cut;
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
