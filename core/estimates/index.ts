/** Estimates that learn: what steps take, from what they took. */
export {
  fewestRuns,
  mostSamples,
  placesIn,
  type Sample,
  type Timing,
  timingFor,
  timingKey,
  timingOf,
  type Timings,
  type Work,
  withObserved,
  workOf,
} from './timings'
