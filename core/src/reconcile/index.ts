export { reconcile, type ReconcileReport, type SolvedForReconcile } from './reconcile';
export type { Cause, ReconcileItem, Verdict } from './item';
export type { KitAround } from './causes';
