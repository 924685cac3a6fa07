import { useLocalSearchParams } from 'expo-router';
import { NetTableScreen } from '../../../../features/floor/net/net-table-screen';

export default function NetRouteScreen() {
  const { setupId } = useLocalSearchParams<{ setupId: string }>();
  return <NetTableScreen setupId={setupId} />;
}
