export { NewPasswordScreen as default } from '../features/people/join-screen';
