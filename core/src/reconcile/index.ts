export { reconcile, type ReconcileReport, type ReconcileItem, type Verdict, type Cause, type SolvedForReconcile } from './reconcile';
export type { KitAround } from './causes';
