import { useLocalSearchParams } from 'expo-router';
import { ClipScreen } from '../../../features/check/clip/clip-screen';

export default function CheckClipScreen() {
  const { takeId } = useLocalSearchParams<{ takeId: string }>();
  return <ClipScreen takeId={takeId} />;
}
