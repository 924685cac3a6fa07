declare module 'fft.js' {
  /** Radix-4 transform of a power of two; complex numbers as pairs. Spectra and signals may be any indexable numbers. */
  export default class FFT {
    constructor(size: number);
    realTransform(out: Float64Array, data: ArrayLike<number>): void;
    completeSpectrum(spectrum: Float64Array): void;
    inverseTransform(out: Float64Array, spectrum: Float64Array): void;
  }
}
