export { simulateDistance, simulateAngle, simulatePoint, simulateClock, simulateCameraFrame, SIMULATED_SIGMA, type SimulatedReading, type CameraFrame, type CameraScene } from './simulated';
export { summariseFeed, compareWithSlate, type FeedSummary, type SlateDifference } from './take-from-feed';
