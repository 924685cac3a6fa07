import { CoreError } from '@mesure/core';
import { perform, type Task } from './tasks';

/** Runs in a web worker: no page, no records, only core. */
const scope = self as unknown as { onmessage: ((e: { data: { id: number; task: Task } }) => void) | null; postMessage(answer: unknown): void };
scope.onmessage = ({ data: { id, task } }) => {
  try {
    scope.postMessage({ id, answer: perform(task, (progress) => scope.postMessage({ id, progress })) });
  } catch (error) {
    scope.postMessage({ id, error: { message: error instanceof Error ? error.message : String(error), code: error instanceof CoreError ? error.code : null } });
  }
};
