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
export { orderOf, type ShipmentChoice } from './for-site'
export { imagesRun, type SiteStock, siteStock } from './site-stock'
export { secondsOver, type Shipment, shipment } from './shipment'
