import { useLocalSearchParams } from 'expo-router';
import { TakeScreen } from '../../../features/floor/take/take-screen';

export default function FloorTakeScreen() {
  const { takeId, to } = useLocalSearchParams<{ takeId: string; to?: string }>();
  return <TakeScreen takeId={takeId} to={to ?? null} />;
}
