export { machineHourly, monthHours, siteSpend, type SiteSpend } from './site-spend'
