export { reconcile, type ReconcileReport, type ReconcileItem, type Verdict, type Cause, type SolvedForReconcile } from './reconcile';
