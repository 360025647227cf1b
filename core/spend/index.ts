export { clusterHourly } from './cluster-spend'
export { machineHourly, monthHours, siteSpend, type SiteSpend } from './site-spend'
