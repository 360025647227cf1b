import type { callMatrix } from './calls-data'

/** Who calls whom, whether that is allowed, and how often it happens. */
export type Call = ReturnType<typeof callMatrix>['cells'][number]
