export { ledgerEnter, type LedgerCsv, readLedgerCsv } from './ledger'
export { readContact, siteContact } from './contact'
export { siteAdd } from './sites'
export { siteEdit } from './site-edit'
export { siteMachines } from './boxes'
export { siteNetwork, widerDhcp } from './networks'
export { orphansAdopt, type OrphanItem, orphansRemove } from './orphans'
export { recordsAfter, wireRecord } from './records'
export { siteHosts, siteQuota, siteService } from './services'
export {
  nextSerial,
  readZone,
  resolve,
  serialNewer,
  type ZoneFile,
  type ZoneProblem,
} from './zone-file'
export { zoneAgainst } from './zone-difference'
export { siteRemove } from './site-remove'
export { wireRoute } from './routes'
export { serialAt, writeZone, type ZoneAuthority } from './zone-write'
