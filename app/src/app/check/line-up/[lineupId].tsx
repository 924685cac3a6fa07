import { useLocalSearchParams } from 'expo-router';
import { LineUpScreen } from '../../../features/check/line-up/line-up-screen';

export default function CheckLineUpScreen() {
  const { lineupId } = useLocalSearchParams<{ lineupId: string }>();
  return <LineUpScreen lineupId={lineupId} />;
}
