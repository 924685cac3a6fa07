import { useLocalSearchParams } from 'expo-router';
import { BookScreen } from '../../../features/kit/lensbook/book-screen';

export default function KitBookScreen() {
  const { packageId } = useLocalSearchParams<{ packageId: string }>();
  return <BookScreen packageId={packageId} />;
}
