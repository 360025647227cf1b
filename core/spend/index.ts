export { clusterHourly } from './cluster-spend'
export { machineHourly, monthHours, siteSpend, type SiteSpend } from './site-spend'
export {
  namespaceSpend,
  poolWhatIfs,
  projectSpend,
  runningHours,
  type NamespaceSpend,
  type Projection,
  type SpendLine,
  type SpendWhatIf,
} from './projection'
export { spendUnchanged } from './unchanged'
export { meteredSpend, type MeteredThing, type Metering } from './meter'
export { priceBook, readPrices, withPrices, writePrices, type Price } from './price-book'
