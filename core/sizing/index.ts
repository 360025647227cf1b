export {
  allocatable,
  type Allocatable,
  defaultReservations,
  type ReservationModel,
} from './allocatable'
export { quorum, type QuorumReport, toleratedLosses } from './quorum'
export { hostLoss, type HostLoss } from './host-loss'
export { hallRoom, type HallRoom, type MachineWish } from './hall-room'
export { longestLane, secondsFor } from './lanes'
