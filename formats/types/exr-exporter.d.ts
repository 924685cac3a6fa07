// What of these two packages is used; they ship without types.
declare module 'three' {
  export const FloatType: number;
  export const HalfFloatType: number;
  export const RGBAFormat: number;
  export class DataTexture {
    constructor(data: Float32Array, width: number, height: number, format: number, type: number);
  }
}
declare module 'three/examples/jsm/loaders/EXRLoader.js' {
  export class EXRLoader {
    setDataType(type: number): this;
    parse(buffer: ArrayBuffer): { width: number; height: number; data: Float32Array; format: number };
  }
}
declare module 'three/examples/jsm/exporters/EXRExporter.js' {
  export const ZIP_COMPRESSION: number;
  export class EXRExporter {
    parse(texture: import('three').DataTexture, options: { type: number; compression: number }): Promise<Uint8Array>;
  }
}
