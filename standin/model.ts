/** Parts of the stand-ins from which a world is made of what was observed, not of a scenario. */
export { digestOf, isWorkloadKind, objectKey, workloadFrom } from './cluster/manifests'
export type { Storage } from './storage/state'
export { momentOf, readyPods } from './report/moment'
