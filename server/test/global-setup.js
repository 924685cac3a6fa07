const { execFileSync } = require('node:child_process');
const os = require('node:os');
const path = require('node:path');
const fs = require('node:fs');

/** A real PostgreSQL for the tests, made and thrown away. */
module.exports = async () => {
  const root = path.resolve(__dirname, '../..');
  execFileSync(process.execPath, [path.join(root, 'scripts/build-node.mjs'), 'compute', 'file-thread'], { stdio: 'inherit' });
  const { startCluster } = await import('../../scripts/cluster.mjs');
  const dir = fs.mkdtempSync(path.join(os.tmpdir(), 'mesure-test-'));
  fs.chmodSync(dir, 0o755);
  const cluster = await startCluster(path.join(dir, 'postgres'), { throwaway: true });
  process.env.MESURE_TEST_CLUSTER = cluster.url;
  globalThis.mesureTestCluster = { cluster, dir };
};
