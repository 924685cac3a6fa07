const fs = require('node:fs');

module.exports = async () => {
  const { cluster, dir } = globalThis.mesureTestCluster;
  cluster.stop();
  fs.rmSync(dir, { recursive: true, force: true });
};
