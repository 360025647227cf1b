/** The catalogue beyond its releases: edges between them, images, versions of add-ons. */
import { type InferAttributes, type InferCreationAttributes, Model } from 'sequelize'

/** A way of a control plane from one release to another. */
export class ReleaseEdgeRow extends Model<
  InferAttributes<ReleaseEdgeRow>,
  InferCreationAttributes<ReleaseEdgeRow>
> {
  declare from: string
  declare to: string
  declare withdrawn: string | null
}

/** An image of the catalogue. */
export class ImageRow extends Model<InferAttributes<ImageRow>, InferCreationAttributes<ImageRow>> {
  declare digest: string
  declare name: string
  declare bytes: number
  declare layers: { digest: string; bytes: number }[]
  declare signedBy: string | null
}

/** A version of an add-on in one of its channels. */
export class AddOnVersionRow extends Model<
  InferAttributes<AddOnVersionRow>,
  InferCreationAttributes<AddOnVersionRow>
> {
  declare addOn: string
  declare channel: string
  declare version: string
  /** The minors of a cluster’s release that it fits; null is open. */
  declare min: string | null
  declare max: string | null
  declare replaces: string[]
  declare images: string[]
}
