export { addMachineChecks, clusterRaise } from './raise'
export { type Graph, joinStep, machineSteps } from './machine-steps'
export { siteAfter } from './raise-plan'
export { estimates, step } from './steps'
export { type BootOf, bootDataOf } from './boot-plan'
export {
  type CallFacts,
  type CallProblem,
  isAddress,
  joinsBy,
  joinScript,
  judgeCall,
  missingToQuorum,
} from './join'
export { masked } from './boot-data'
export { seedVolume } from './seed-volume'
export { imagePlace, imagePlaceIntent, type ImagePlaceIntent } from './image-place'
export { clusterTakedown, takedownIntent, type TakedownIntent } from './takedown'
export { type Expect, expectsOf } from './expects'
export { raiseIntent, type RaiseIntent } from './raise-intent'
export {
  controlPlanePool,
  defaultControlPlaneSize,
  type Planned,
  planned,
  type PlannedMachine,
  startCount,
} from './planned'
export { nameFindings } from './checks/identity'
export { bestDisk } from './checks/box-disk'
export { checkHostRoom, checkQuota } from './checks/room'
export { checkCredentials } from './checks/surroundings'
