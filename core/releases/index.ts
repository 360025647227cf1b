export { findRelease, isUnsupported, newestFirst, type Release, supportDaysLeft } from './release'
