import { useLocalSearchParams } from 'expo-router';
import { PlateScreen } from '../../../features/kit/lensbook/plate-screen';

export default function KitPlateScreen() {
  const { plateId } = useLocalSearchParams<{ plateId: string }>();
  return <PlateScreen plateId={plateId} />;
}
