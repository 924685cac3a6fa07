// For tests: runs one command after the other in a thread that has loaded them once. What a command writes is caught, and its answer is waited
// for by a thread that sleeps (Atomics.wait), so that a test reads as if it had run the command itself.
import { Buffer } from 'node:buffer';
import process from 'node:process';
import { workerData } from 'node:worker_threads';

const { port, flag, bundle } = workerData;
const { main } = await import(bundle);
const caught = { stdout: [], stderr: [] };
for (const name of ['stdout', 'stderr'])
  process[name].write = (chunk) => {
    caught[name].push(Buffer.from(chunk));
    return true;
  };

port.on('message', async (args) => {
  caught.stdout = [];
  caught.stderr = [];
  let code;
  try {
    code = await main(args);
  } catch (error) {
    caught.stderr.push(Buffer.from(String(error?.stack ?? error)));
    code = 70;
  }
  port.postMessage({ code, out: Buffer.concat(caught.stdout).toString(), err: Buffer.concat(caught.stderr).toString() });
  Atomics.store(flag, 0, 1);
  Atomics.notify(flag, 0);
});
