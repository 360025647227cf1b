export { imageSign, imageWithdraw } from './images'
export { judgedOf, publishedImage } from './judged'
export { registryRule } from './rule'
