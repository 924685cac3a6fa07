import path from 'node:path';
import { startSimulatedBucket } from './devices/simulated-bucket';

// npm run bucket [-- FOLDER [PORT]]: a bucket to try several machines with, on loopback
const [dir = '.data/bucket', port = '4190'] = process.argv.slice(2);
const bucket = await startSimulatedBucket({ dir: path.resolve(dir), port: Number(port), secretAccessKey: process.env.BUCKET_SECRET });
process.stdout.write(`A simulated bucket in ${dir}; give it to each start:\n  MESURE_BUCKET=${bucket.place}\n`);
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => void bucket.stop().then(() => process.exit(0)));
