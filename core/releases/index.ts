export { findRelease, isUnsupported, newestFirst, type Release, supportDaysLeft } from './release'
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
