export { BeginScreen as default } from '../features/people/begin-screen';
