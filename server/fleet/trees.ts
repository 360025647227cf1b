/** The fleet as a tree, made once for each picture of the fleet. */
import { type FleetNode, fleetTree, type FleetView } from '~/core/fleet'

export function treesOf(): (view: FleetView) => FleetNode {
  let last: { readonly view: FleetView; readonly tree: FleetNode } | null = null
  return (view) => {
    if (
      last?.view.version === view.version &&
      last.view.sites === view.sites &&
      Object.keys(view.unheard).length === 0
    )
      return last.tree
    const tree = fleetTree(view)
    last = { view, tree }
    return tree
  }
}
