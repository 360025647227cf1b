import { digestOf } from '~/core/changes'

/** Tells the changes of a set apart, wherever in it they stand. */
export const draftKey = ({ kind, intent }: { readonly kind: string; readonly intent: unknown }) =>
  `${kind} ${digestOf(intent)}`
