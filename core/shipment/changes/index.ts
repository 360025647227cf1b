export { shipmentImport } from './import'
export { computedPack, shipmentPack } from './pack'
