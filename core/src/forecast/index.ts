export { forecast, type Forecast, type FrameForecast } from './forecast';
export { NO_FACTS, type ForecastFacts, type ForecastFrame, type ForecastPlan } from './plan';
