export { forecast, type Forecast, type FrameForecast } from './forecast';
export { NO_FACTS, type ForecastFacts, type ForecastFrame, type ForecastPlan } from './plan';
export { planOfStudy } from './of-study';
export { nextBest, slower, withLens, type NextBest, type OtherLens } from './next-best';
export { forecastFile, type ForecastAnswer, type ForecastFile } from './from-file';
export { forecastSentence } from './words';
