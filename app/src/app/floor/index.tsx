import { FloorScreen } from '../../features/floor/floor-screen';

export default function FloorIndexScreen() {
  return <FloorScreen setupId={null} />;
}
