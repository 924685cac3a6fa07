import { mkdtempSync, chmodSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { remember, startDemo } from './demo-process';

export default async function globalSetup(): Promise<void> {
  const dir = mkdtempSync(path.join(os.tmpdir(), 'mesure-e2e-'));
  chmodSync(dir, 0o755);
  remember(await startDemo(path.join(dir, 'data')));
}
