import type { ForeignMove, TurnOrder } from '@mesure/core';
import { FormatError } from '../format-error';
import { textOf } from '../text';
import { readCameraCsv } from './camera-csv';
import { readGltfMove } from './gltf';
import { readTrackingSamples } from './tracking';
import { readUsdaMove } from './usda';

export interface MoveOptions {
  /** at which the take was shot, for a format that counts in seconds */
  fps: number | null;
  /** in which angles of a table are applied; null: nobody said */
  order: TurnOrder | null;
}

/** How each format begins, and who reads it; the first that fits is asked. One line makes another. */
const READERS: readonly { begins: (head: string) => boolean; read: (bytes: Uint8Array, file: string, options: MoveOptions) => ForeignMove | Promise<ForeignMove> }[] = [
  {
    begins: (head) => head.startsWith('PXR-USDC'),
    read: (_bytes, file) => {
      throw new FormatError(file, null, null, 'is USD in its binary form; write it as text (.usda)');
    },
  },
  { begins: (head) => head.startsWith('glTF'), read: (bytes, file, { fps }) => readGltfMove(bytes, file, fps) },
  { begins: (head) => head.startsWith('#usda'), read: (bytes, file) => readUsdaMove(textOf(bytes, file), file) },
  { begins: (head) => /^\s*\{[^]*"asset"\s*:/.test(head) && !/"transforms"/.test(head), read: (bytes, file, { fps }) => readGltfMove(bytes, file, fps) },
  { begins: (head) => /^\s*[[{]/.test(head), read: (bytes, file) => readTrackingSamples(textOf(bytes, file), file) },
  { begins: () => true, read: (bytes, file, { order }) => readCameraCsv(textOf(bytes, file), file, order) },
];

/** A camera move of glTF 2.0, USD text, the open tracking metadata schema or CSV, as it stands in the file. @throws FormatError that names what the file is */
export async function readMoveFile(bytes: Uint8Array, file: string, options: MoveOptions): Promise<ForeignMove> {
  const head = new TextDecoder('latin1').decode(bytes.subarray(0, 4096));
  return READERS.find((r) => r.begins(head))!.read(bytes, file, options);
}
