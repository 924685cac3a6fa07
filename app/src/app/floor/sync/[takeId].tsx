import { useLocalSearchParams } from 'expo-router';
import { SyncScreen } from '../../../features/floor/sync/sync-screen';

export default function FloorSyncScreen() {
  const { takeId } = useLocalSearchParams<{ takeId: string }>();
  return <SyncScreen takeId={takeId} />;
}
