import { useLocalSearchParams } from 'expo-router';
import { RecceScreen } from '../../../features/plan/recce-screen';

export default function RecceRouteScreen() {
  const { setupId } = useLocalSearchParams<{ setupId: string }>();
  return <RecceScreen setupId={setupId} />;
}
