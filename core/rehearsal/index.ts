/** Changes run through a model of the fleet before they are run. */
export { againstPlan, againstRun, type RunStep } from './compared'
export {
  type Frame,
  frameAfter,
  type FrameNode,
  longestWait,
  nodesAt,
  rehearsal,
  type Rehearsal,
  type RehearsedStep,
} from './rehearsal'
