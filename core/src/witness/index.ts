export { witnessMoment } from './place-witness';
export { watchWitness, type SharedPoint, type WitnessMoment, type WitnessWatch } from './watch-witness';
