/** Boxes that stand somewhere already: installed from a boot server onto one of their disks, and cleared again. */
import { permanent } from '../failures'
import type { ArgsOf } from '../../core/contract'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { Operation, OperationFailure } from '../world'
import { hold } from './addresses'
import { removeMachine } from './machines'

type OfBox = Operation<{ readonly site: string; readonly name: string }>

const boxOf = (sim: Sim, op: OfBox) => {
  const site = sim.site(op.args.site)
  const box = site?.boxes.find((other) => other.name === op.args.name)
  return site && box ? { site, box } : undefined
}

/** The disk a name means today: its stable identifier, or the name it shows as. */
type Install = Operation<ArgsOf<'box.install'>>

const diskOf = (sim: Sim, op: Install) => {
  const wanted = op.args.disk
  return boxOf(sim, op)?.box.disks.find(
    (disk) => disk.identifier === wanted || disk.shownAs === wanted,
  )
}

function startInstall(sim: Sim, op: Install): string | OperationFailure {
  const found = boxOf(sim, op)
  const about = `machine/${op.args.site}/${op.args.name}`
  if (!found)
    return permanent('machine-gone', `There is no machine ${op.args.name} at ${op.args.site}.`, {
      about,
      says: 'does not exist',
    })
  const { site, box } = found
  if (box.usedBy !== null && box.usedBy !== op.args.cluster)
    return permanent('machine-used', `${box.name} is in use by ${box.usedBy}.`, {
      about,
      says: `used by ${box.usedBy}`,
    })
  const release = op.args.release
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
    return permanent('disk-unknown', `${box.name} has no disk ${op.args.disk}.`, {
      about,
      says: 'disk not found',
    })
  if (disk.holds !== null && op.args.wipe !== disk.identifier) {
    return permanent(
      'disk-holds-data',
      `${disk.identifier} holds ${disk.holds}.`,
      { about: `disk/${site.name}/${disk.identifier}`, says: `holds ${disk.holds}` },
      { about, says: 'was not installed' },
    )
  }
  box.usedBy = op.args.cluster
  sim.touch(`site:${site.name}`)
  return `booted from the boot server over ${op.args.card}`
}

export const boxInstall: Behaviour<'box.install'> = {
  stages: [
    { seconds: 40, then: startInstall },
    {
      seconds: 180,
      then: (sim, op) => {
        const disk = diskOf(sim, op)
        if (!disk) return permanent('disk-unknown', `The disk ${op.args.disk} is gone.`)
        disk.holds = `fern-base ${op.args.release}`
        sim.touch(`site:${op.args.site}`)
        return `fern-base ${op.args.release} written to ${disk.identifier.split('/').pop() ?? disk.identifier}`
      },
    },
    {
      seconds: 30,
      then: (sim, op) => {
        const found = boxOf(sim, op)
        if (!found) return undefined
        const { site, box } = found
        const address = op.args.address
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
              release: op.args.release,
              cluster: op.args.cluster,
              apart: null,
              network: op.args.network,
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
            network: op.args.network,
            for: box.name,
            cluster: op.args.cluster,
            how: 'static',
          })
        sim.touch(`site:${site.name}`)
        return 'boot order set to the install disk'
      },
    },
  ],
  result: (_sim, op) => ({ machine: op.args.name, disk: op.args.disk }),
}

export const boxClear: Behaviour<'box.clear'> = {
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
export const boxTake: Behaviour<'box.take'> = {
  stages: [
    {
      seconds: 45,
      then: (sim, op) => {
        const found = boxOf(sim, op)
        const about = `machine/${op.args.site}/${op.args.name}`
        if (!found)
          return permanent(
            'machine-gone',
            `There is no machine ${op.args.name} at ${op.args.site}.`,
            { about, says: 'does not exist' },
          )
        const { site, box } = found
        if (box.usedBy !== null && box.usedBy !== op.args.cluster)
          return permanent('machine-used', `${box.name} is in use by ${box.usedBy}.`, {
            about,
            says: `used by ${box.usedBy}`,
          })
        const address = op.args.address
        box.usedBy = op.args.cluster
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
              release: op.args.release,
              cluster: op.args.cluster,
              apart: null,
              network: op.args.network,
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
            network: op.args.network,
            for: box.name,
            cluster: op.args.cluster,
            how: 'static',
          })
        sim.touch(`site:${site.name}`)
        return `agent of ${op.args.release} set up on ${box.name}, traffic over ${op.args.card}`
      },
    },
  ],
}
