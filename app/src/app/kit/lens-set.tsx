export { LensSetScreen as default } from '../../features/kit/lens-set-screen';
