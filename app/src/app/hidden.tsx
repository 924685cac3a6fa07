export { HiddenScreen as default } from '../features/hidden/hidden-screen';
