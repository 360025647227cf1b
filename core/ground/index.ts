export { ledgerEnter, type LedgerCsv, readLedgerCsv } from './ledger'
export { siteAdd, siteRemove } from './sites'
export { siteEdit } from './site-edit'
export { siteMachines } from './boxes'
export { siteNetwork, widerDhcp, wireRoute } from './networks'
export { orphansAdopt, type OrphanItem, orphansRemove } from './orphans'
export { recordsAfter, wireRecord } from './records'
export { siteHosts, siteQuota, siteService } from './services'
export {
  nextSerial,
  readZone,
  resolve,
  serialNewer,
  writeZone,
  type ZoneFile,
  type ZoneProblem,
} from './zone-file'
export { zoneAgainst } from './zone-difference'
