import { KitScreen } from '../../features/kit/kit-screen';

export default function KitIndexScreen() {
  return <KitScreen packageId={null} />;
}
