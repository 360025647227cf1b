import { type Actor, actingAs } from '../actor'
import type { Changes } from '../changes/changes'
import type { Fleet } from '../fleet/fleet'
import type { Line } from '../runner/journal'

/** What those who look need: the fleet they judge, the changes they run, the clock, and whom they tell. */
export interface LookerParts {
  readonly fleet: Fleet
  readonly changes: Changes
  readonly clock: { readonly now: number }
  readonly journal: (line: Line) => Promise<void>
  readonly onError: (error: unknown) => void
}

/** Work that is done when something is due: never twice at once; asked for meanwhile, it is done once more afterwards. */
export class Looker {
  private looking: Promise<void> | null = null
  private again = false

  constructor(
    private readonly work: () => Promise<void>,
    private readonly onError: (error: unknown) => void,
    /** In whose name it is done. */
    private readonly actor: Actor = 'gyrarch',
  ) {}

  look(): void {
    if (this.looking) {
      this.again = true
      return
    }
    this.looking = actingAs(this.actor, () => this.work())
      .catch((error: unknown) => this.onError(error))
      .finally(() => {
        this.looking = null
        if (!this.again) return
        this.again = false
        this.look()
      })
  }

  async atRest(): Promise<void> {
    while (this.looking) await this.looking
  }
}
