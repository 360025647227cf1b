export { shipmentImport } from './import'
export { shipmentPack } from './pack'
export { shipmentSend } from './send'
