import path from 'node:path';
import { readBucketPlace, type BucketPlace } from './files/bucket';
import type { SpaceLimits } from './files/space';

/** Where the files of an installation are. */
export interface StorageConfig {
  /** of this machine: files, or what is kept of a bucket's, and uploads under way */
  dataDir: string;
  /** where files are when many machines serve one installation; null: in the folder of this one */
  bucket: BucketPlace | null;
  /** of files of the bucket that are kept beside it */
  cacheBytes: number;
}

export interface ServerConfig extends StorageConfig {
  databaseUrl: string;
  webDir: string;
  host: string;
  port: number;
  logLevel: string;
  /** certificate and key, PEM; null: plain HTTP */
  tls: { certFile: string; keyFile: string } | null;
  /** a proxy before it ends TLS and says who asks */
  behindProxy: boolean;
  /** cookies only over TLS: wherever TLS is, here or at the proxy */
  secureCookies: boolean;
  /** the certificate of the authority that signed `tls`, for phones to trust; null: a public one signed it */
  authorityFile: string | null;
  /** where phones find it */
  addresses: string[];
  /** where a phone learns to trust `authorityFile`, without TLS */
  trustAddress: string | null;
  maxUploadBytes: number;
  /** of what is never held in memory: clips, sequences, handovers */
  maxLargeUploadBytes: number;
  /** where a copy of a handover is put that is kept on the server; null: nowhere */
  handoverDir: string | null;
  /** who collects /metrics; null: there is none */
  metricsToken: string | null;
  space: SpaceLimits;
}

export function readConfig(env: NodeJS.ProcessEnv): ServerConfig {
  const databaseUrl = env.MESURE_DATABASE_URL;
  if (!databaseUrl) throw new Error('MESURE_DATABASE_URL is not set');
  const behindProxy = env.MESURE_BEHIND_PROXY === '1';
  const tls = env.MESURE_TLS_CERT && env.MESURE_TLS_KEY ? { certFile: path.resolve(env.MESURE_TLS_CERT), keyFile: path.resolve(env.MESURE_TLS_KEY) } : null;
  const host = env.MESURE_HOST ?? '127.0.0.1';
  const why = openToTheNetwork(host, tls !== null, behindProxy);
  if (why) throw new Error(why);
  const dataDir = path.resolve(env.MESURE_DATA_DIR ?? '.data');
  return {
    databaseUrl,
    ...readStorage(env, dataDir),
    webDir: path.resolve(env.MESURE_WEB_DIR ?? '.build/web'),
    host,
    port: Number(env.MESURE_PORT ?? 4180),
    logLevel: env.MESURE_LOG_LEVEL ?? 'info',
    tls,
    behindProxy,
    secureCookies: tls !== null || behindProxy,
    addresses: env.MESURE_ADDRESSES?.split(' ').filter(Boolean) ?? [],
    trustAddress: env.MESURE_TRUST_ADDRESS ?? null,
    authorityFile: env.MESURE_AUTHORITY ? path.resolve(env.MESURE_AUTHORITY) : null,
    handoverDir: env.MESURE_HANDOVER_DIR ? path.resolve(env.MESURE_HANDOVER_DIR) : null,
    maxUploadBytes: Number(env.MESURE_MAX_UPLOAD_BYTES ?? 300 * 1024 * 1024),
    maxLargeUploadBytes: Number(env.MESURE_MAX_LARGE_UPLOAD_BYTES ?? 16 * 1024 ** 3),
    metricsToken: longEnough(env.MESURE_METRICS_TOKEN),
    space: { productionBytes: gigabytes(env.MESURE_PRODUCTION_GB, 200), begunByPerson: 40, reserveBytes: gigabytes(env.MESURE_RESERVE_GB, 2) },
  };
}

export const readStorage = (env: NodeJS.ProcessEnv, dataDir: string): StorageConfig => ({
  dataDir,
  bucket: env.MESURE_BUCKET ? readBucketPlace(env.MESURE_BUCKET) : null,
  cacheBytes: gigabytes(env.MESURE_CACHE_GB, 10),
});

/** One that can be guessed opens what is closed. */
function longEnough(token: string | undefined): string | null {
  if (!token) return null;
  if (token.length < 20) throw new Error('MESURE_METRICS_TOKEN needs 20 characters or more');
  return token;
}

function gigabytes(text: string | undefined, usual: number): number {
  const n = text === undefined || text === '' ? usual : Number(text);
  if (!(n >= 0)) throw new Error(`${text} is no number of GB`);
  return n * 1e9;
}

const LOOPBACK = /^(127\.\d+\.\d+\.\d+|::1|localhost)$/;
export const isLoopback = (host: string): boolean => LOOPBACK.test(host);

/** Why it may not listen there, and what to do; null when it may. A password must not cross a set's network in the clear. */
export function openToTheNetwork(host: string, tls: boolean, behindProxy: boolean): string | null {
  if (isLoopback(host) || tls || behindProxy) return null;
  return (
    `Mesure does not listen on ${host} without TLS: passwords would cross the network in the clear, and phones keep nothing without it. ` +
    'Give --tls-cert and --tls-key, or --behind-proxy when a proxy ends TLS before it, or leave --tls out: then it makes a certificate of its own.'
  );
}
