/** One channel, row by row, values 0…255 (8-bit scale whatever the source's depth). */
export interface GrayImage {
  widthPx: number;
  heightPx: number;
  data: Float32Array;
}

function gaussianKernel(sigmaPx: number): Float32Array {
  const radius = Math.ceil(sigmaPx * 2.7);
  const kernel = new Float32Array(radius + 1); // one half: kernel[0] is the middle
  let sum = 0;
  for (let i = 0; i <= radius; i += 1) {
    kernel[i] = Math.exp((-i * i) / (2 * sigmaPx * sigmaPx));
    sum += i === 0 ? kernel[i] : 2 * kernel[i];
  }
  return kernel.map((v) => v / sum);
}

/** Gaussian smoothing with mirrored borders. Symmetrical, so it moves no corner. */
export function smooth(image: GrayImage, sigmaPx: number): GrayImage {
  const { widthPx: w, heightPx: h, data } = image;
  const kernel = gaussianKernel(sigmaPx);
  const radius = kernel.length - 1;
  const across = new Float32Array(w * h);
  const padded = new Float32Array(w + 2 * radius);
  for (let y = 0; y < h; y += 1) {
    const row = y * w;
    padded.set(data.subarray(row, row + w), radius);
    for (let i = 1; i <= radius; i += 1) {
      padded[radius - i] = data[row + Math.min(i - 1, w - 1)];
      padded[radius + w - 1 + i] = data[row + Math.max(w - i, 0)];
    }
    for (let x = 0; x < w; x += 1) {
      let s = kernel[0] * padded[x + radius];
      for (let i = 1; i <= radius; i += 1) s += kernel[i] * (padded[x + radius - i] + padded[x + radius + i]);
      across[row + x] = s;
    }
  }
  const out = new Float32Array(w * h);
  const mirrored = (y: number) => (y < 0 ? Math.min(-y - 1, h - 1) : y >= h ? Math.max(2 * h - 1 - y, 0) : y) * w;
  for (let y = 0; y < h; y += 1) {
    const row = y * w;
    for (let x = 0; x < w; x += 1) out[row + x] = kernel[0] * across[row + x];
    // two taps at a time: the pass is bound by memory, and this halves the writes
    let i = 1;
    for (; i + 1 <= radius; i += 2) {
      const a = mirrored(y - i),
        b = mirrored(y + i),
        c = mirrored(y - i - 1),
        d = mirrored(y + i + 1);
      const k = kernel[i],
        l = kernel[i + 1];
      for (let x = 0; x < w; x += 1) out[row + x] += k * (across[a + x] + across[b + x]) + l * (across[c + x] + across[d + x]);
    }
    for (; i <= radius; i += 1) {
      const a = mirrored(y - i),
        b = mirrored(y + i);
      const k = kernel[i];
      for (let x = 0; x < w; x += 1) out[row + x] += k * (across[a + x] + across[b + x]);
    }
  }
  return { widthPx: w, heightPx: h, data: out };
}

/** Half-size picture by 2×2 means. Pixel centres keep their place: full = 2 · half in corner-origin coordinates. */
export function halve(image: GrayImage): GrayImage {
  const w = image.widthPx >> 1;
  const h = image.heightPx >> 1;
  const data = new Float32Array(w * h);
  for (let y = 0; y < h; y += 1) {
    const a = 2 * y * image.widthPx;
    const b = a + image.widthPx;
    for (let x = 0; x < w; x += 1) {
      data[y * w + x] = (image.data[a + 2 * x] + image.data[a + 2 * x + 1] + image.data[b + 2 * x] + image.data[b + 2 * x + 1]) / 4;
    }
  }
  return { widthPx: w, heightPx: h, data };
}

/** Bilinear value at pixel coordinates (corner origin: the first pixel's centre is 0.5, 0.5); the caller stays inside. */
export function sampleAt(image: GrayImage, xPx: number, yPx: number): number {
  const fx = xPx - 0.5;
  const fy = yPx - 0.5;
  const x0 = Math.floor(fx);
  const y0 = Math.floor(fy);
  const ax = fx - x0;
  const ay = fy - y0;
  const at = y0 * image.widthPx + x0;
  const d = image.data;
  return (1 - ay) * ((1 - ax) * d[at] + ax * d[at + 1]) + ay * ((1 - ax) * d[at + image.widthPx] + ax * d[at + image.widthPx + 1]);
}
