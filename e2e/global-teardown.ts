import { rmSync } from 'node:fs';
import path from 'node:path';
import { running, stopDemo, wasStarted } from './demo-process';

export default async function globalTeardown(): Promise<void> {
  if (!wasStarted()) return;
  const { pid, dataDir } = running();
  await stopDemo(pid);
  rmSync(path.dirname(dataDir), { recursive: true, force: true });
  rmSync(process.env.MESURE_E2E_NOTE!, { force: true });
}
