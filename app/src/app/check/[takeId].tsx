import { useLocalSearchParams } from 'expo-router';
import { CheckScreen } from '../../features/check/check-screen';

export default function CheckTakeScreen() {
  const { takeId } = useLocalSearchParams<{ takeId: string }>();
  return <CheckScreen takeId={takeId} />;
}
