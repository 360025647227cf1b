export {
  type Address,
  type AddressResult,
  bitsOf,
  type Family,
  formatAddress,
  parseAddress,
} from './address'
export {
  type Cidr,
  cidrAt,
  contains,
  enclosingBlock,
  formatRange,
  freeGaps,
  intersection,
  lowestFreeBlock,
  parseCidr,
  parseRange,
  type Range,
  sizeOf,
} from './range'
export {
  findOverlaps,
  mostOverlaps,
  type NamedRange,
  type Overlap,
  type OverlapReport,
  overlappingPairs,
} from './overlap'
export { clusterRanges, type ClusterRanges, perNodePrefix } from './cluster-ranges'
export { alignedBlocks, blockWithin, carve, type Carved } from './carve'
