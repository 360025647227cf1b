/** Faults as they are put in and taken away, whatever they are about. */
import { endDayFault, isDayFault, startDayFault } from './day-faults'
import type { Sim } from './engine/sim'
import { endSiteFault, startSiteFault } from './faults'
import type { Fault } from './world'

export function startFault(sim: Sim, fault: Fault): void {
  if (!isDayFault(fault.kind)) {
    startSiteFault(sim, fault)
    return
  }
  sim.world.faults.push(fault)
  startDayFault(sim, fault)
}

/** Whether there was such a fault. */
export function endFault(sim: Sim, id: string): boolean {
  const fault = sim.world.faults.find((each) => each.id === id)
  if (!fault || !isDayFault(fault.kind)) return endSiteFault(sim, id)
  sim.world.faults = sim.world.faults.filter((each) => each !== fault)
  endDayFault(sim, fault)
  return true
}
