// TypeScript and modules of the new kind for the test runner, by the compiler that builds the product: a tenth of the time that Babel takes
// for the same files, which on a fresh clone is most of what a test waits for.
const { createHash } = require('node:crypto');
const { readFileSync } = require('node:fs');
const { transformSync, version } = require('esbuild');

// In the runner's sandbox every mention of a global goes through an interceptor; in a hot loop over millions of pixels that is ten times
// slower. Each module therefore takes its globals into constants of its own.
const GLOBALS = ['Math', 'Number', 'Infinity', 'NaN', 'Array', 'Map', 'Set', 'Float64Array', 'Float32Array', 'Int32Array', 'Uint8Array', 'Uint16Array'];

function ownGlobals(code) {
  const used = GLOBALS.filter((name) => new RegExp(`(?<![.\\w$])${name}\\b`).test(code) && !new RegExp(`\\b(?:const|let|var|class|function)\\s+${name}\\b`).test(code));
  return used.length === 0 ? '' : `const ${used.map((name) => `${name}=globalThis.${name}`).join(',')};`;
}

const own = readFileSync(__filename);
module.exports = {
  getCacheKey: (source, file) => createHash('sha256').update(own).update(version).update(file).update('\0').update(source).digest('hex'),
  process(source, file) {
    const loader = /\.[cm]?tsx$/.test(file) ? 'tsx' : /\.[cm]?ts$/.test(file) ? 'ts' : 'js';
    const { code, map } = transformSync(source, {
      loader,
      format: 'cjs',
      target: 'node20',
      // the sandbox cannot import on demand: what is loaded late is required late
      supported: { 'dynamic-import': false },
      sourcefile: file,
      sourcemap: 'external',
      sourcesContent: false,
    });
    // on the first line, so that the lines of the map stay
    return { code: `"use strict";${ownGlobals(code)}${code}`, map };
  },
};
