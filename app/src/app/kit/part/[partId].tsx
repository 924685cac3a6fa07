import { useLocalSearchParams } from 'expo-router';
import { PartScreen } from '../../../features/kit/part-screen';

export default function KitPartScreen() {
  const { partId } = useLocalSearchParams<{ partId: string }>();
  return <PartScreen partId={partId} />;
}
