import { useLocalSearchParams } from 'expo-router';
import { PlateScreen } from '../../../features/kit/plate-screen';

export default function KitPlateScreen() {
  const { plateId } = useLocalSearchParams<{ plateId: string }>();
  return <PlateScreen plateId={plateId} />;
}
