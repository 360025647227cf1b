/** Boxes that stand somewhere already: installed from a boot server onto one of their disks, and cleared again. */
import type { Said } from '../../core/contract'
import { permanent } from '../failures'
import type { ArgsOf } from '../../core/contract'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { Operation, OperationFailure } from '../world'
import { hold } from './addresses'
import { removeMachine } from './machines'
import { said } from './says'

type OfBox = Operation<{ readonly site: string; readonly name: string }>

const boxOf = (sim: Sim, op: OfBox) => {
  const site = sim.site(op.args.site)
  const box = site?.boxes.find((box) => box.name === op.args.name)
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

function startInstall(sim: Sim, op: Install): Said | OperationFailure {
  const matchingBox = boxOf(sim, op)
  const about = `machine/${op.args.site}/${op.args.name}`
  if (!matchingBox)
    return permanent(
      'machine-gone',
      said('machine-gone', { name: op.args.name, site: op.args.site }),
      {
        about,
        ...said('does-not-exist'),
      },
    )
  const { site, box } = matchingBox
  if (box.usedBy !== null && box.usedBy !== op.args.cluster)
    return permanent(
      'machine-used',
      said('machine-used.box-used-by', { box: box.name, usedBy: box.usedBy }),
      {
        about,
        ...said('used', { usedBy: box.usedBy }),
      },
    )
  const release = op.args.release
  if (!site.images.some((image) => image.release === release)) {
    return permanent(
      'image-missing',
      said('image-missing.site-release', { site: site.name, release }),
      { about: `image/${site.name}/${release}`, ...said('not-found-boot') },
      { about, ...said('not-installed') },
    )
  }
  const disk = diskOf(sim, op)
  if (!disk)
    return permanent(
      'disk-unknown',
      said('disk-unknown.no-disk', { box: box.name, disk: op.args.disk }),
      {
        about,
        ...said('disk-not-found'),
      },
    )
  if (disk.holds !== null && op.args.wipe !== disk.identifier) {
    return permanent(
      'disk-holds-data',
      said('disk-holds-data', { identifier: disk.identifier, holds: disk.holds }),
      { about: `disk/${site.name}/${disk.identifier}`, ...said('holds', { holds: disk.holds }) },
      { about, ...said('not-installed') },
    )
  }
  box.usedBy = op.args.cluster
  sim.touchSite(site.name)
  return said('booted-from-boot', { card: op.args.card })
}

export const boxInstall: Behaviour<'box.install'> = {
  stages: [
    { seconds: 40, then: startInstall },
    {
      seconds: 180,
      then: (sim, op) => {
        const disk = diskOf(sim, op)
        if (!disk)
          return permanent('disk-unknown', said('disk-unknown.disk-gone', { disk: op.args.disk }))
        disk.holds = `fern-base ${op.args.release}`
        sim.touchSite(op.args.site)
        return said('fern-base-written', {
          release: op.args.release,
          disk: disk.identifier.split('/').pop() ?? disk.identifier,
        })
      },
    },
    {
      seconds: 30,
      then: (sim, op) => {
        const matchingBox = boxOf(sim, op)
        if (!matchingBox) return undefined
        const { site, box } = matchingBox
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
        sim.touchSite(site.name)
        return said('boot-order-set')
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
        const matchingBox = boxOf(sim, op)
        if (!matchingBox) return said('nothing-clear')
        const { site, box } = matchingBox
        const machine = site.machines.find((machine) => machine.box === box.name)
        if (machine) removeMachine(sim, site, machine)
        for (const disk of box.disks) if (disk.holds?.startsWith('fern-base ')) disk.holds = null
        box.usedBy = null
        sim.touchSite(site.name)
        return said('cleared-powered-off', { box: box.name })
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
        const matchingBox = boxOf(sim, op)
        const about = `machine/${op.args.site}/${op.args.name}`
        if (!matchingBox)
          return permanent(
            'machine-gone',
            said('machine-gone', { name: op.args.name, site: op.args.site }),
            { about, ...said('does-not-exist') },
          )
        const { site, box } = matchingBox
        if (box.usedBy !== null && box.usedBy !== op.args.cluster)
          return permanent(
            'machine-used',
            said('machine-used.box-used-by', { box: box.name, usedBy: box.usedBy }),
            {
              about,
              ...said('used', { usedBy: box.usedBy }),
            },
          )
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
        sim.touchSite(site.name)
        return said('agent-set-up', { release: op.args.release, box: box.name, card: op.args.card })
      },
    },
  ],
}
