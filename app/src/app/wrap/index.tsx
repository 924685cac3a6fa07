export { WrapScreen as default } from '../../features/wrap/wrap-screen';
