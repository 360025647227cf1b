/** Troubles of the fleet itself, each with one cause. */
import type { Trouble } from '../cases'
import type { Link } from '../causes'
import type { Fact, Ref } from '../facts'

/** Causes that are none of a cluster’s API objects. */
export const fleetCauses = [
  'host-dead',
  'disk-lost',
  'disk-out-of-room',
  'disk-slow',
  'answers-fail',
  'walk-stopped',
  'walk-open',
  'spot-taken',
  'site-slow',
] as const
export type FleetCause = (typeof fleetCauses)[number]

export interface Told {
  readonly cluster: string
  readonly subject: Ref
  readonly key: string
  readonly since: string | null
  readonly symptom: string
  readonly cause: FleetCause
  readonly says: string
  readonly chain: readonly Link[]
  readonly because: readonly Fact[]
}

/** A trouble with one cause, which explains it whole. */
export const troubleOf = ({
  cluster,
  subject,
  key,
  since,
  symptom,
  ...cause
}: Told): Trouble<FleetCause> => ({
  cluster,
  subject,
  key,
  since,
  diagnosis: {
    symptom,
    causes: [{ ...cause, about: cause.chain[0]?.about ?? subject, share: 1, remedies: [] }],
    ruledOut: [],
    next: null,
  },
})
