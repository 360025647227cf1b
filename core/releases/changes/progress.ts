/** How far a run has got along the steps of an upgrade. */
import type { UpgradeStep } from '../upgrade'

interface RunStep {
  readonly id: string
  readonly state: string
}

/** Whether a step of the run is part of a step of the upgrade. */
function isPartOf(step: UpgradeStep, id: string): boolean {
  if (step.kind === 'control-plane') return id === `control-plane:${step.to}`
  if (step.kind === 'add-on') return id === `add-on:${step.name}:${step.to}`
  return id.startsWith(`${step.to}/${step.pool}/`)
}

/** The part of each step that is done, 0 to 1, by the steps of its run; 0 where the run has none of it. */
export function upgradeProgress(
  steps: readonly UpgradeStep[],
  run: readonly RunStep[],
): readonly number[] {
  return steps.map((step) => {
    const parts = run.filter(({ id }) => isPartOf(step, id))
    const done = parts.filter(({ state }) => state === 'done').length
    return parts.length === 0 ? 0 : done / parts.length
  })
}
