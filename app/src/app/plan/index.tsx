import { PlanScreen } from '../../features/plan/plan-screen';

export default function PlanIndexScreen() {
  return <PlanScreen setupId={null} />;
}
