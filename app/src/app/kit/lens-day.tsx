export { LensDayScreen as default } from '../../features/kit/lens-day-screen';
