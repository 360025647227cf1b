/**
 * The fleet as the demo begins, with the objects of cedar: for tests of the core, which start no server. That it is what
 * the ports tell is held by `server/fleet/demo-fleet.test.ts`, which also writes it anew (`vitest -u`).
 */
import type { FleetView, TrafficView } from '../fleet'
import stored from './demo-fleet.json?raw'

/** A picture of its own for whoever asks: tests may alter what they are given. */
export const demoFleet = (): FleetView => JSON.parse(stored) as FleetView

/** The same with the calls of one cluster, as whoever asks for its ways sees it. */
export const withCalls = (
  view: FleetView,
  cluster: string,
  calls: readonly TrafficView[] = [],
): FleetView => ({
  ...view,
  traffic: {
    ...view.traffic,
    [cluster]: { state: 'known', version: 1, at: view.now, value: calls },
  },
})
