export { averageReadings, type ReadingSeries } from './average';
