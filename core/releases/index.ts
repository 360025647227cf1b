export { findRelease, isUnsupported, newestFirst, type Release, supportDaysLeft } from './release'
export type { Published, PublishedAddOn, PublishedAddOnVersion, PublishedImage } from './published'
export {
  byVersion,
  type Catalogue,
  catalogueMistake,
  type CatalogueMistake,
  type CatalogueRelease,
  type CutEdge,
  type ReleaseEdge,
  releasePath,
  type ReleasePath,
} from './path'
