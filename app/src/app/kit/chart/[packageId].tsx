import { useLocalSearchParams } from 'expo-router';
import { ChartScreen } from '../../../features/kit/lensbook/chart-screen';

export default function KitChartScreen() {
  const { packageId } = useLocalSearchParams<{ packageId: string }>();
  return <ChartScreen packageId={packageId} />;
}
