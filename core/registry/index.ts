export { isDigest, isRepository, isTag, parseReference, type Reference } from './reference'
