import { useLocalSearchParams } from 'expo-router';
import { NetScreen } from '../../../features/floor/net/net-screen';

export default function NetRouteScreen() {
  const { setupId } = useLocalSearchParams<{ setupId: string }>();
  return <NetScreen setupId={setupId} />;
}
