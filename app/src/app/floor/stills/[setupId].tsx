import { useLocalSearchParams } from 'expo-router';
import { StillsScreen } from '../../../features/floor/stills/stills-screen';

export default function StillsRouteScreen() {
  const { setupId } = useLocalSearchParams<{ setupId: string }>();
  return <StillsScreen setupId={setupId} />;
}
