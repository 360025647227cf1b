export { imageSign, imageWithdraw } from './images'
export { judgedImage, judgedOf, publishedImage } from './judged'
export { registryRule } from './rule'
