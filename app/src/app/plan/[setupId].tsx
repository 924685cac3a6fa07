import { useLocalSearchParams } from 'expo-router';
import { PlanScreen } from '../../features/plan/plan-screen';

export default function PlanSetupScreen() {
  const { setupId } = useLocalSearchParams<{ setupId: string }>();
  return <PlanScreen setupId={setupId} />;
}
