import { useLocalSearchParams } from 'expo-router';
import { TakeScreen } from '../../../features/floor/take/take-screen';

export default function FloorTakeScreen() {
  const { takeId } = useLocalSearchParams<{ takeId: string }>();
  return <TakeScreen takeId={takeId} />;
}
