import type { Route } from './+types/calls'

/** Who calls whom, whether that is allowed, and how often it happens. */
export type Call = NonNullable<Route.ComponentProps['loaderData']['cells']>[number]
