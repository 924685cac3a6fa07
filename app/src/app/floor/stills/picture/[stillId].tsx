import { useLocalSearchParams } from 'expo-router';
import { StillMarksScreen } from '../../../../features/floor/stills/still-marks-screen';

export default function StillMarksRouteScreen() {
  const { stillId } = useLocalSearchParams<{ stillId: string }>();
  return <StillMarksScreen stillId={stillId} />;
}
