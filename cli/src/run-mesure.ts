import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { MessageChannel, receiveMessageOnPort, Worker, type MessagePort } from 'node:worker_threads';

const root = path.resolve(__dirname, '../..');
const LONGEST_MS = 140_000;

interface Ran {
  code: number | null;
  out: string;
  err: string;
}
let thread: { port: MessagePort; flag: Int32Array } | null = null;

/**
 * For tests: a command as a person runs it. The first call of a file and those that read from standard input are processes of their own, through
 * `bin/mesure`, which installs and builds what is missing. The others run the same bundle in a thread that has loaded it: a process takes a
 * second or two to begin, and there are two hundred of them.
 */
export function mesure(args: string[], input?: string) {
  const r = input === undefined && !args.includes('-') && thread ? inThread(args, thread) : asProcess(args, input);
  thread ??= begin();
  return { ...r, json: () => JSON.parse(r.out) as Record<string, any> };
}

function asProcess(args: readonly string[], input: string | undefined): Ran {
  const { status, stdout, stderr } = spawnSync(path.join(root, 'bin/mesure'), args, { encoding: 'utf8', input, maxBuffer: 1 << 28 });
  return { code: status, out: stdout, err: stderr };
}

function inThread(args: readonly string[], { port, flag }: NonNullable<typeof thread>): Ran {
  Atomics.store(flag, 0, 0);
  port.postMessage(args);
  if (Atomics.wait(flag, 0, 0, LONGEST_MS) === 'timed-out') throw new Error(`mesure ${args.join(' ')} did not end in ${LONGEST_MS / 1000} s`);
  return receiveMessageOnPort(port)!.message as Ran;
}

function begin(): NonNullable<typeof thread> {
  const built = spawnSync('bash', ['-c', `. "${root}/scripts/ensure.sh" && in_turn node "${root}/scripts/build-node.mjs" mesure-main`], { encoding: 'utf8' });
  if (built.status !== 0) throw new Error(`The commands could not be built: ${built.stderr}`);
  const { port1, port2 } = new MessageChannel();
  const flag = new Int32Array(new SharedArrayBuffer(4));
  const workerData = { port: port2, flag, bundle: pathToFileURL(path.join(root, '.build/mesure-main.mjs')).href };
  new Worker(path.join(__dirname, 'mesure-thread.mjs'), { workerData, transferList: [port2] }).unref();
  port1.unref();
  return { port: port1, flag };
}
