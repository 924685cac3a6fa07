import { spawnSync } from 'node:child_process';
import path from 'node:path';

const root = path.resolve(__dirname, '../..');
let built = false;

/**
 * For tests: the command as a person runs it. The first call goes through `bin/mesure`, which installs and builds what is missing; the
 * others run what it built, since finding that nothing is missing takes half the time of a short command.
 */
export function mesure(args: string[], input?: string) {
  const [command, first] = built ? [process.execPath, ['--enable-source-maps', path.join(root, '.build/mesure.mjs')]] : [path.join(root, 'bin/mesure'), []];
  const r = spawnSync(command, [...first, ...args], { encoding: 'utf8', input, maxBuffer: 1 << 28 });
  built = true;
  return { code: r.status, out: r.stdout, err: r.stderr, json: () => JSON.parse(r.stdout) as Record<string, any> };
}
