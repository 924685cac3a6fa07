import { useLocalSearchParams } from 'expo-router';
import { ElsewhereScreen } from '../../../features/check/elsewhere/elsewhere-screen';

export default function CheckElsewhereScreen() {
  const { elsewhereId } = useLocalSearchParams<{ elsewhereId: string }>();
  return <ElsewhereScreen elsewhereId={elsewhereId} />;
}
