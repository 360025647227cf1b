export { catalogueScale, layerContent } from './content'
export {
  addOnImages,
  components,
  type PublishedImage,
  type PublishedLayer,
  releaseImages,
} from './published'
