/** Every test holds kinds to what they say they need. */
import { setStrictViews } from '~/core/fleet/scope'

setStrictViews(true)
