export { HandoverInScreen as default } from '../../features/wrap/handover-in-screen';
