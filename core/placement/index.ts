export { capacityOf, lossText, smallestPools, type Capacity, type SmallerPool } from './capacity'
export {
  boardOf,
  type Board,
  type BoardNode,
  type BoardPod,
  type BoardRead,
  type BoardWaiting,
  type BoardWorkload,
} from './board'
export { allowedBy, budgetRefusal, budgetsOf, type Budget } from './budgets'
export { chooseFor } from './choose'
export {
  drain,
  startSeconds,
  turnOver,
  type Drain,
  type DrainOptions,
  type DrainRead,
  type Blocked,
  type Eviction,
  type NoRoom,
} from './drain'
export { giveOrder, type GiveOrder } from './give'
export { type PatchStep, type PlacementRemedy } from './remedies'
export { percentile, rightSizes, sharedOut, type RightSize, type UseFacts } from './right-size'
export { Room } from './room'
export {
  place,
  reasonsText,
  waitingText,
  type Placement,
  type PlacementOptions,
  type WaitingAnswer,
} from './schedule'
export { readWorld, type Pod, type World, type WorldRead } from './world'
export { boardObjects } from './board-objects'
export { notPlaced, placed, type Placed } from './placed'
export { workloadsOf, type BoardObject, type WhatIf } from './what-if'
export { freshName, oneMore } from './new-node'
export { altered, Trial, type TrialResult } from './trial'
