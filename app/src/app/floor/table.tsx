import { useLocalSearchParams } from 'expo-router';
import { TableScreen } from '../../features/floor/table/table-screen';

export default function FloorTableScreen() {
  const { setup } = useLocalSearchParams<{ setup?: string }>();
  return <TableScreen setupId={setup ?? null} />;
}
