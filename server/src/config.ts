import path from 'node:path';

export interface ServerConfig {
  databaseUrl: string;
  dataDir: string;
  webDir: string;
  host: string;
  port: number;
  logLevel: string;
  /** cookies only over TLS; off on loopback, where the demo runs */
  secureCookies: boolean;
  maxUploadBytes: number;
}

export function readConfig(env: NodeJS.ProcessEnv): ServerConfig {
  const databaseUrl = env.MESURE_DATABASE_URL;
  if (!databaseUrl) throw new Error('MESURE_DATABASE_URL is not set');
  const dataDir = path.resolve(env.MESURE_DATA_DIR ?? '.data');
  return {
    databaseUrl,
    dataDir,
    webDir: path.resolve(env.MESURE_WEB_DIR ?? '.build/web'),
    host: env.MESURE_HOST ?? '127.0.0.1',
    port: Number(env.MESURE_PORT ?? 4180),
    logLevel: env.MESURE_LOG_LEVEL ?? 'info',
    secureCookies: env.MESURE_SECURE_COOKIES === '1',
    maxUploadBytes: Number(env.MESURE_MAX_UPLOAD_BYTES ?? 300 * 1024 * 1024),
  };
}
