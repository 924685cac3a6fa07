import { useLocalSearchParams } from 'expo-router';
import { GuidelineScreen } from '../../../features/plan/guideline-screen';

export default function PlanGuidelineScreen() {
  const { setupId } = useLocalSearchParams<{ setupId: string }>();
  return <GuidelineScreen setupId={setupId} />;
}
