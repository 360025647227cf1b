/** Boxes that stand somewhere already: installed from a boot server onto one of their disks, and cleared again. */
import { optionalText, permanent, textArg } from '../args'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { Operation, OperationFailure } from '../world'
import { hold } from './addresses'
import { removeMachine } from './machines'

const boxOf = (sim: Sim, op: Operation) => {
  const site = sim.site(op.args['site'])
  const box = site?.boxes.find((other) => other.name === op.args['name'])
  return site && box ? { site, box } : undefined
}

/** The disk a name means today: its stable identifier, or the name it shows as. */
const diskOf = (sim: Sim, op: Operation) => {
  const wanted = textArg(op, 'disk')
  return boxOf(sim, op)?.box.disks.find(
    (disk) => disk.identifier === wanted || disk.shownAs === wanted,
  )
}

function startInstall(sim: Sim, op: Operation): string | OperationFailure {
  const found = boxOf(sim, op)
  const about = `machine/${textArg(op, 'site')}/${textArg(op, 'name')}`
  if (!found)
    return permanent(
      'machine-gone',
      `There is no machine ${textArg(op, 'name')} at ${textArg(op, 'site')}.`,
      { about, says: 'does not exist' },
    )
  const { site, box } = found
  if (box.usedBy !== null && box.usedBy !== textArg(op, 'cluster'))
    return permanent('machine-used', `${box.name} is in use by ${box.usedBy}.`, {
      about,
      says: `used by ${box.usedBy}`,
    })
  const release = textArg(op, 'release')
  if (!site.images.some((image) => image.release === release)) {
    return permanent(
      'image-missing',
      `${site.name} has no base image of ${release}.`,
      { about: `image/${site.name}/${release}`, says: 'not found on the boot server' },
      { about, says: 'was not installed' },
    )
  }
  const disk = diskOf(sim, op)
  if (!disk)
    return permanent('disk-unknown', `${box.name} has no disk ${textArg(op, 'disk')}.`, {
      about,
      says: 'disk not found',
    })
  if (disk.holds !== null && optionalText(op, 'wipe') !== disk.identifier) {
    return permanent(
      'disk-holds-data',
      `${disk.identifier} holds ${disk.holds}.`,
      { about: `disk/${site.name}/${disk.identifier}`, says: `holds ${disk.holds}` },
      { about, says: 'was not installed' },
    )
  }
  box.usedBy = textArg(op, 'cluster')
  sim.touch(`site:${site.name}`)
  return `booted from the boot server over ${textArg(op, 'card')}`
}

export const boxInstall: Behaviour = {
  stages: [
    { seconds: 40, then: startInstall },
    {
      seconds: 180,
      then: (sim, op) => {
        const disk = diskOf(sim, op)
        if (!disk) return permanent('disk-unknown', `The disk ${textArg(op, 'disk')} is gone.`)
        disk.holds = `fern-base ${textArg(op, 'release')}`
        sim.touch(`site:${textArg(op, 'site')}`)
        return `fern-base ${textArg(op, 'release')} written to ${disk.identifier.split('/').pop() ?? disk.identifier}`
      },
    },
    {
      seconds: 30,
      then: (sim, op) => {
        const found = boxOf(sim, op)
        if (!found) return undefined
        const { site, box } = found
        const address = optionalText(op, 'address')
        if (!site.machines.some((machine) => machine.name === box.name)) {
          site.machines = [
            ...site.machines,
            {
              name: box.name,
              zone: box.zone,
              host: box.name,
              size: box.name,
              cores: box.cores,
              memoryBytes: box.memoryBytes,
              diskGb: diskOf(sim, op)?.sizeGb ?? 0,
              gpus: 0,
              lifetime: 'on-demand',
              release: textArg(op, 'release'),
              cluster: textArg(op, 'cluster'),
              apart: null,
              network: textArg(op, 'network'),
              box: box.name,
              power: 'off',
              agent: false,
              address,
              createdAt: sim.now,
            },
          ]
        }
        if (address !== null && !site.addresses.some((held) => held.address === address))
          hold(sim, site, {
            address,
            network: textArg(op, 'network'),
            for: box.name,
            cluster: textArg(op, 'cluster'),
            how: 'static',
          })
        sim.touch(`site:${site.name}`)
        return 'boot order set to the install disk'
      },
    },
  ],
  result: (_sim, op) => ({ machine: textArg(op, 'name'), disk: textArg(op, 'disk') }),
}

export const boxClear: Behaviour = {
  stages: [
    {
      seconds: 50,
      then: (sim, op) => {
        const found = boxOf(sim, op)
        if (!found) return 'nothing to clear'
        const { site, box } = found
        const machine = site.machines.find((other) => other.box === box.name)
        if (machine) removeMachine(sim, site, machine)
        for (const disk of box.disks) if (disk.holds?.startsWith('fern-base ')) disk.holds = null
        box.usedBy = null
        sim.touch(`site:${site.name}`)
        return `${box.name} cleared and powered off`
      },
    },
  ],
}

/** A machine that runs already is taken into use as it stands: nothing is written over, its agent is set up. */
export const boxTake: Behaviour = {
  stages: [
    {
      seconds: 45,
      then: (sim, op) => {
        const found = boxOf(sim, op)
        const about = `machine/${textArg(op, 'site')}/${textArg(op, 'name')}`
        if (!found)
          return permanent(
            'machine-gone',
            `There is no machine ${textArg(op, 'name')} at ${textArg(op, 'site')}.`,
            { about, says: 'does not exist' },
          )
        const { site, box } = found
        if (box.usedBy !== null && box.usedBy !== textArg(op, 'cluster'))
          return permanent('machine-used', `${box.name} is in use by ${box.usedBy}.`, {
            about,
            says: `used by ${box.usedBy}`,
          })
        const address = optionalText(op, 'address')
        box.usedBy = textArg(op, 'cluster')
        if (!site.machines.some((machine) => machine.name === box.name)) {
          site.machines = [
            ...site.machines,
            {
              name: box.name,
              zone: box.zone,
              host: box.name,
              size: box.name,
              cores: box.cores,
              memoryBytes: box.memoryBytes,
              diskGb: box.disks[0]?.sizeGb ?? 0,
              gpus: 0,
              lifetime: 'on-demand',
              release: textArg(op, 'release'),
              cluster: textArg(op, 'cluster'),
              apart: null,
              network: textArg(op, 'network'),
              box: box.name,
              power: 'on',
              agent: true,
              address,
              createdAt: sim.now,
            },
          ]
        }
        if (address !== null && !site.addresses.some((held) => held.address === address))
          hold(sim, site, {
            address,
            network: textArg(op, 'network'),
            for: box.name,
            cluster: textArg(op, 'cluster'),
            how: 'static',
          })
        sim.touch(`site:${site.name}`)
        return `agent of ${textArg(op, 'release')} set up on ${box.name}, traffic over ${textArg(op, 'card')}`
      },
    },
  ],
}
