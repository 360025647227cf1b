/** Faults that can be put into the stand-ins, and what each does to the world. */
import { uniform } from './engine/random'
import type { Sim } from './engine/simulator'
import type { Fault, FaultKind, Image, OperationFailure } from './world'

export interface PossibleFault {
  readonly fault: FaultKind
  readonly says: string
  /** How `about` is written. */
  readonly about: string
}

export const possibleFaults: readonly PossibleFault[] = [
  { fault: 'machine-unavailable', says: 'The machine service answers “unavailable”.', about: 'site/<site>' },
  { fault: 'image-missing', says: 'The base image of a release is gone.', about: 'image/<site>/<release>' },
  { fault: 'no-stock', says: 'A zone has no machine of a size left.', about: 'size/<site>/<zone>/<size>' },
  { fault: 'machine-dies', says: 'Machines die during their first boot.', about: 'site/<site> or machine/<site>/<name>' },
]

/** Why a fault cannot be about this, or null. */
export function faultObjection(sim: Sim, kind: string, about: string): string | null {
  const known = possibleFaults.find((possible) => possible.fault === kind)
  if (!known) return `There is no fault ${kind}. Possible: ${possibleFaults.map((possible) => possible.fault).join(', ')}.`
  const [what, siteName, third, fourth] = about.split('/')
  const site = sim.site(siteName)
  if (!site) return `There is no site ${siteName ?? ''}. Write what it is about as ${known.about}.`
  const wrong = `${kind} is about ${known.about}, not ${about}.`
  switch (known.fault) {
    case 'machine-unavailable':
      return what === 'site' && third === undefined ? null : wrong
    case 'image-missing':
      return what === 'image' && site.images.some((image) => image.release === third) ? null : `${site.name} holds no image of ${third ?? ''}. Write ${known.about}.`
    case 'no-stock':
      return what === 'size' && site.sizes.some((size) => size.name === fourth && size.zones.includes(third ?? '')) ? null : `${site.name} does not offer ${fourth ?? ''} in ${third ?? ''}. Write ${known.about}.`
    case 'machine-dies':
      return (what === 'site' && third === undefined) || (what === 'machine' && third !== undefined) ? null : wrong
  }
}

export function startFault(sim: Sim, fault: Fault): void {
  sim.world.faults.push(fault)
  const [, siteName, third, fourth] = fault.about.split('/')
  const site = sim.site(siteName)
  if (!site) return
  sim.touch(`site:${site.name}`)
  if (fault.kind === 'image-missing') site.images = site.images.filter((image) => image.release !== third)
  if (fault.kind === 'no-stock') site.soldOut = [...site.soldOut, `${third ?? ''}/${fourth ?? ''}`]
}

export function endFault(sim: Sim, id: string): boolean {
  const fault = sim.world.faults.find((other) => other.id === id)
  if (!fault) return false
  sim.world.faults = sim.world.faults.filter((other) => other !== fault)
  const [, siteName, third, fourth] = fault.about.split('/')
  const site = sim.site(siteName)
  if (!site) return true
  sim.touch(`site:${site.name}`)
  if (fault.kind === 'image-missing') {
    const image: Image = { name: 'fern-base', release: third ?? '', arch: site.arch, minimumDiskGb: 30 }
    if (!site.images.some((other) => other.release === image.release)) site.images = [...site.images, image]
  }
  if (fault.kind === 'no-stock') site.soldOut = site.soldOut.filter((entry) => entry !== `${third ?? ''}/${fourth ?? ''}`)
  return true
}

/** The fault of a kind that strikes now, counted down; undefined if none does. */
export function strike(sim: Sim, kind: FaultKind, abouts: readonly string[]): Fault | undefined {
  const fault = sim.world.faults.find((other) => other.kind === kind && abouts.includes(other.about))
  if (!fault) return undefined
  if (fault.left !== null) {
    fault.left--
    if (fault.left <= 0) endFault(sim, fault.id)
  }
  return fault
}

/** “Service unavailable” from a site’s machine service, or undefined. */
export function unavailable(sim: Sim, site: string, machine: string): OperationFailure | undefined {
  const fault = strike(sim, 'machine-unavailable', [`site/${site}`])
  if (!fault) return undefined
  const ticket = Math.floor(uniform(sim.world.seed, `${machine}/${sim.now}`) * 0xffff).toString(16)
  return {
    class: 'transient',
    reason: 'unavailable',
    says: `The machine service of ${site} answered “unavailable”.`,
    chain: [
      { about: `site/${site}`, says: `machine service: 503, service unavailable for this account, request ${ticket}` },
      { about: `machine/${site}/${machine}`, says: 'was not created' },
    ],
  }
}

/** Death during first boot, or undefined. */
export function diesBooting(sim: Sim, site: string, machine: string): OperationFailure | undefined {
  const fault = strike(sim, 'machine-dies', [`site/${site}`, `machine/${site}/${machine}`])
  if (!fault) return undefined
  return {
    class: fault.mode,
    reason: 'machine-died',
    says: `${machine} died during its first boot.`,
    chain: [
      { about: `disk/${site}/${machine}-root`, says: 'console: root file system could not be mounted, read error at sector 2,048' },
      { about: `machine/${site}/${machine}`, says: 'stopped 40 s after power-on' },
    ],
  }
}
