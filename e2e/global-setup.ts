import { makePlace } from './demos';

export default makePlace;
