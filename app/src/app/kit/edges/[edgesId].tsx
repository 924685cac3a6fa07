import { useLocalSearchParams } from 'expo-router';
import { EdgesScreen } from '../../../features/kit/lensbook/edges-screen';

export default function KitEdgesScreen() {
  const { edgesId } = useLocalSearchParams<{ edgesId: string }>();
  return <EdgesScreen edgesId={edgesId} />;
}
