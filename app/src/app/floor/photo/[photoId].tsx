import { useLocalSearchParams } from 'expo-router';
import { PhotoScreen } from '../../../features/floor/net/photo-screen';

export default function PhotoRouteScreen() {
  const { photoId, setup } = useLocalSearchParams<{ photoId: string; setup?: string }>();
  return <PhotoScreen photoId={photoId} setupId={setup ?? null} />;
}
