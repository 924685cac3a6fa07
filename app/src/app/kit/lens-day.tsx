export { LensDayScreen as default } from '../../features/kit/lensbook/lens-day-screen';
