/** Which images the pods of a namespace may be made of, as its annotations say it and nodes heed it. */

/** `required`: only images with a signature that counts. */
export const signedImagesRule = 'gyrarch/signed-images'
/** A severity: no image with a finding as grave as that, or graver. */
export const imageFindingsRule = 'gyrarch/image-findings-below'

export const findingSeverities = ['low', 'medium', 'high', 'critical'] as const
export type FindingSeverity = (typeof findingSeverities)[number]

export interface ImageRule {
  readonly signed: boolean
  readonly below: FindingSeverity | null
}

/** What is known of an image when it is pulled. */
export interface JudgedImage {
  readonly signed: boolean
  /** The gravest finding in it. */
  readonly worst: FindingSeverity | null
}

export function imageRuleIn(annotations: Readonly<Record<string, unknown>> | undefined): ImageRule {
  const below = annotations?.[imageFindingsRule]
  return {
    signed: annotations?.[signedImagesRule] === 'required',
    below: findingSeverities.find((severity) => severity === below) ?? null,
  }
}

/** What of a rule an image breaks; null where it may be used. */
export function brokenRule(rule: ImageRule, image: JudgedImage): 'signature' | 'finding' | null {
  if (rule.signed && !image.signed) return 'signature'
  return rule.below !== null &&
    image.worst !== null &&
    findingSeverities.indexOf(image.worst) >= findingSeverities.indexOf(rule.below)
    ? 'finding'
    : null
}
