export {
  behave,
  defaultBehaviour,
  noHistory,
  type ScalingBehaviour,
  type ScalingHistory,
  type ScalingPolicy,
  type ScalingRules,
} from './behaviour'
export {
  halfEmptyNodes,
  nodeToGive,
  poolsToGrow,
  type Growth,
  type PoolOrder,
  type ScalablePool,
} from './nodes'
export { replicasFor, replicasWanted, type Metric, type ReplicasWanted } from './replicas'
export {
  instantOf,
  isTimeZone,
  localText,
  minutesOf,
  restIntervals,
  restSavings,
  timeZones,
  united,
  weekdays,
  type Interval,
  type RestSavings,
  type RestWindow,
  type Weekday,
} from './rest'
export { dayAhead, type DayAhead, type DayPlan, type DayPoint, type DayRead } from './day'
