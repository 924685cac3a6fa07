import { TakesScreen } from '../../features/floor/day/takes-screen';

export default function FloorTakesScreen() {
  return <TakesScreen />;
}
