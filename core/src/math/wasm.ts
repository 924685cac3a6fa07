// What of WebAssembly is used; the standard's interface, which this project's type libraries do not carry.
interface Wasm {
  Module: new (bytes: Uint8Array) => object;
  Instance: new (module: object) => { exports: unknown };
}
export interface WasmMemory {
  memory: { buffer: ArrayBuffer; grow(pages: number): number };
}

const PAGE_BYTES = 65_536;

/** The functions of a module written as hexadecimal digits; null where WebAssembly or its SIMD is missing or forbidden. */
export function wasmExports<T extends WasmMemory>(hex: string): T | null {
  const wasm = (globalThis as unknown as { WebAssembly?: Wasm }).WebAssembly;
  if (!wasm) return null;
  try {
    const bytes = Uint8Array.from({ length: hex.length / 2 }, (_, i) => parseInt(hex.slice(2 * i, 2 * i + 2), 16));
    return new wasm.Instance(new wasm.Module(bytes)).exports as T;
  } catch {
    return null;
  }
}

/** At least so many bytes; views of the memory from before are gone when it had to grow. */
export function reserve(memory: WasmMemory['memory'], bytes: number): void {
  const missing = bytes - memory.buffer.byteLength;
  if (missing > 0) memory.grow(Math.ceil(missing / PAGE_BYTES));
}
