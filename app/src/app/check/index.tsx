import { CheckScreen } from '../../features/check/check-screen';

export default function CheckIndexScreen() {
  return <CheckScreen takeId={null} />;
}
