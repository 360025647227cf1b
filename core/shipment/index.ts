export {
  orderMistake,
  type Medium,
  mediumSchema,
  releaseEdgeSchema,
  severities,
  type Severity,
  type ShipmentOrder,
  shipmentSchema,
  versionSchema,
} from './catalogue'
export { newestOf, replacementChain } from './add-ons'
export { type Blob, type Closure, type HeldImage, type Problem, whyHeld } from './closure'
export { type CarriedItem, carriedItems } from './contents'
export { type Drive, pack, type Packing } from './packing'
export { type Shipment, shipment } from './shipment'
