import { useLocalSearchParams } from 'expo-router';
import { FloorScreen } from '../../features/floor/floor-screen';

export default function FloorSetupScreen() {
  const { setupId } = useLocalSearchParams<{ setupId: string }>();
  return <FloorScreen setupId={setupId} />;
}
