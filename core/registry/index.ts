export {
  isDigest,
  isRepository,
  isTag,
  listedWhere,
  parseReference,
  type Reference,
} from './reference'
