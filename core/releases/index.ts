export { findRelease, isUnsupported, newestFirst, type Release, supportDaysLeft } from './release'
export {
  addOnSteps,
  type AddOnStep,
  type AddOnSteps,
  type AddOnVersion,
  fits,
} from './add-on-steps'
export { isNewer, isTooOld } from './skew'
export {
  type ClusterSupport,
  endingDays,
  type MinorLine,
  minorLines,
  supportOn,
  type SupportState,
} from './support'
export { type Turnover, turnoversOf } from './turnovers'
export {
  type ClusterUpgrade,
  clusterUpgrade,
  type ClusterUpgradeAsked,
  type UpgradeProblem,
  type UpgradeStep,
} from './upgrade'
export {
  type CarriedCatalogue,
  type Published,
  type PublishedAddOn,
  publishedAt,
  type PublishedAddOnVersion,
  type PublishedImage,
} from './published'
export {
  byVersion,
  type Catalogue,
  catalogueMistake,
  type CatalogueMistake,
  type CatalogueRelease,
  type CutEdge,
  endsMistake,
  type ReleaseEdge,
  releasePath,
  type ReleasePath,
} from './path'
