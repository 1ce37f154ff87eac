export { amountOf, forecast, learn, paceOf, workOf, type Forecast, type Pace, type QueuedJob, type WorkDone } from './forecast';
export { speedsOf, type StageSpeeds } from './speeds';
