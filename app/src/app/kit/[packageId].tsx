import { useLocalSearchParams } from 'expo-router';
import { KitScreen } from '../../features/kit/kit-screen';

export default function KitPackageScreen() {
  const { packageId } = useLocalSearchParams<{ packageId: string }>();
  return <KitScreen packageId={packageId} />;
}
