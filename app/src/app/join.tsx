export { JoinScreen as default } from '../features/people/join-screen';
