export { shipmentImport } from './import'
export { shipmentPack } from './pack'
