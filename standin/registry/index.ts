export { catalogueScale, layerBytes, layerContent } from './content'
export {
  addOnImages,
  components,
  ownImage,
  type PublishedImage,
  type PublishedLayer,
  releaseImages,
} from './published'
