// How an inner loop in WebAssembly text becomes a TypeScript constant that ships with the core.
import { Buffer } from 'node:buffer';
import { writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import wabtModule from 'wabt';

export async function assembled(name, source) {
  const wabt = await wabtModule();
  return wabt.parseWat(name, source, { simd: true }).toBinary({}).buffer;
}

export const isMain = (url) => process.argv[1] === fileURLToPath(url);

export function writeConstant(file, constant, script, bytes) {
  const text = Buffer.from(bytes)
    .toString('hex')
    .replace(/.{128}/g, "$&' +\n  '");
  writeFileSync(path.join(path.dirname(fileURLToPath(import.meta.url)), '..', file), `// Written by ${script}; do not edit.\nexport const ${constant} =\n  '${text}';\n`);
}
