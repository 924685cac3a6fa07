import { endAll } from './demos';

export default endAll;
