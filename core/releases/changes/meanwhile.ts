/** What a plan costs only while it runs: machines that stand beside for a while, and those that are missing. */
import { schedule, type Step } from '../../changes'
import type { SiteView } from '../../fleet'
import { machineHourly, monthHours } from '../../spend'
import { text } from '../../objects'

interface Turn {
  /** Seconds after the beginning. */
  readonly at: number
  /** Units an hour, from then on. */
  readonly hourly: number
}

/** Units an hour of a machine with its root disk; a hall’s disks cost nothing by the hour. */
function hourlyOf(site: SiteView, machine: string, step: Step | undefined): number {
  const disk = site.hosts.length === 0 ? site.prices.diskGbMonth / monthHours : 0
  if (!step) {
    const there = site.machines.find(({ name }) => name === machine)
    return there ? machineHourly(site, there) + there.diskGb * disk : 0
  }
  const { args } = step.command
  const size = text(args['size'])
  return (
    machineHourly(site, {
      size,
      cores: site.sizes.find(({ name }) => name === size)?.cores ?? 0,
      lifetime: args['lifetime'] === 'spot' ? 'spot' : 'on-demand',
      zone: text(args['zone']),
      host: null,
    }) +
    Number(args['rootDiskGb'] ?? 0) * disk
  )
}

/**
 * Units that a site costs beyond what it does now from the first step of a plan to its last, if each takes its likely
 * time; less than none where machines are missing for longer than others stand beside. O(steps).
 */
export function spendMeanwhile(steps: readonly Step[], site: SiteView): number {
  const times = schedule(steps)
  const created = new Map<string, Step>()
  const turns: Turn[] = []
  const byEnd = [...steps].sort((a, b) => (times.get(a.id)?.end ?? 0) - (times.get(b.id)?.end ?? 0))
  for (const step of byEnd) {
    const { verb, args } = step.command
    const machine = text(args['name'])
    const at = times.get(step.id)?.end ?? 0
    if (verb === 'machine.create') {
      created.set(machine, step)
      turns.push({ at, hourly: hourlyOf(site, machine, step) })
    }
    if (verb === 'machine.delete')
      turns.push({ at, hourly: -hourlyOf(site, machine, created.get(machine)) })
  }
  const end = Math.max(0, ...[...times.values()].map((time) => time.end))
  return turns.reduce((sum, { at, hourly }) => sum + (hourly * (end - at)) / 3600, 0)
}
