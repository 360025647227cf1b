/** Machines that exist already: the right box, disk, card and address. The wrong disk cannot be unwritten. */
import type { Fact, RawFinding } from '../../changes'
import type { BoxView, DiskView } from '../../fleet'
import { bytesText, listText, numberText } from '../../units'
import { joinsBy } from '../join'
import type { Check, Planned } from '../planned'
import { reservationsAt } from '../planned'
import { checkAddress, checkCard } from './box-address'
import type { MachineIntent } from './box-parts'
import { set } from './box-parts'

/** The last part of an identifier, which is how people tell disks apart. */
const shortName = (disk: DiskView): string => disk.identifier.split('/').pop() ?? disk.identifier

const diskText = (disk: DiskView): string =>
  `${disk.identifier}: ${numberText(disk.sizeGb)} GB, ${disk.removable ? 'removable, ' : ''}${disk.holds ?? 'blank'}, shows as ${disk.shownAs} today`

/** The smallest fixed, blank disk that takes the base image. */
export const bestDisk = (box: BoxView, minimumGb: number): DiskView | undefined =>
  [...box.disks]
    .filter((disk) => !disk.removable && disk.holds === null && disk.sizeGb >= minimumGb)
    .sort((a, b) => a.sizeGb - b.sizeGb)[0]

function checkDisk(
  box: BoxView,
  machine: MachineIntent,
  index: number,
  planned: Planned,
): readonly RawFinding[] {
  const field = `machines[${index}].disk`
  const minimum = planned.release?.minimumRootDiskGb ?? 0
  const because: Fact[] = box.disks.map((disk) => ({
    says: diskText(disk),
    source: `${box.name}, disks`,
    at: planned.site?.observedAt ?? planned.view.now,
  }))
  const best = bestDisk(box, minimum)
  const offers = best
    ? [{ says: `Use ${shortName(best)}`, change: set(index, 'disk', best.identifier) }]
    : []
  const stop = (
    rule: string,
    says: string,
    more: RawFinding['offers'] = [],
  ): readonly RawFinding[] => [
    { level: 'stop', rule, field, says, because, offers: [...offers, ...(more ?? [])] },
  ]

  if (machine.disk === undefined || machine.disk === '') {
    if (box.disks.length === 1 && best) return []
    return stop(
      'disk.chosen',
      `${box.name} has ${box.disks.length} disks. Choose the one to install on.`,
    )
  }
  const disk = box.disks.find((other) => other.identifier === machine.disk)
  if (!disk) {
    const shown = box.disks.find((other) => other.shownAs === machine.disk)
    if (shown && box.disks.length > 1) {
      return stop(
        'disk.stable',
        `${machine.disk} is only today’s name: it is ${shortName(shown)} now and may be another disk after a restart. Give a stable identifier.`,
      )
    }
    if (shown) return []
    return stop('disk.known', `${box.name} has no disk ${machine.disk}.`)
  }
  if (disk.removable)
    return stop(
      'disk.removable',
      `${shortName(disk)} is removable. Whoever pulls it out takes the cluster with it.`,
    )
  if (disk.sizeGb < minimum)
    return stop(
      'disk.small',
      `${shortName(disk)} has ${numberText(disk.sizeGb)} GB. Image ${planned.release?.baseImage ?? ''} needs ${minimum} GB.`,
    )
  if (disk.holds !== null && machine.wipe !== disk.identifier) {
    return stop(
      'disk.data',
      `${shortName(disk)} holds ${disk.holds}. Installing would overwrite it.`,
      [{ says: `Wipe ${shortName(disk)}`, change: set(index, 'wipe', disk.identifier) }],
    )
  }
  if (machine.wipe !== undefined && machine.wipe !== '' && machine.wipe !== disk.identifier) {
    return [
      {
        level: 'stop',
        rule: 'disk.wipe',
        field: `machines[${index}].wipe`,
        says: `The draft says to wipe ${machine.wipe} and to install on ${disk.identifier}. Only the disk installed on can be wiped.`,
        because,
        offers: [
          {
            says: 'Wipe nothing',
            change: { patchDraft: [{ op: 'remove', path: `/machines/${index}/wipe` }] },
          },
        ],
      },
    ]
  }
  if (disk.holds !== null) {
    return [
      {
        level: 'caution',
        rule: 'disk.wiped',
        field,
        says: `${shortName(disk)} holds ${disk.holds}. All of it will be lost.`,
        because,
        offers,
      },
    ]
  }
  return []
}

export const checkBoxes: Check = (planned) => {
  const { intent, site, view } = planned
  if (!site) return []
  if (site.kind !== 'edge' && intent.machines.length === 0) return []
  if (site.kind !== 'edge' && intent.pools.length > 0 && site.boxes.length > 0) {
    return [
      {
        level: 'stop',
        rule: 'machines.pools',
        field: 'machines',
        says: 'The draft names machines and asks for pools, too. Raise it on the machines that stand there, or have the site make them.',
        because: [],
        offers: [
          {
            says: 'Raise it on the machines named',
            change: { patchDraft: [{ op: 'replace', path: '/pools', value: [] }] },
          },
          {
            says: 'Have the site make them',
            change: { patchDraft: [{ op: 'replace', path: '/machines', value: [] }] },
          },
        ],
      },
    ]
  }
  if (site.kind !== 'edge' && site.boxes.length === 0) {
    return [
      {
        level: 'stop',
        rule: 'machines.site',
        field: 'machines',
        says: `${site.name} makes its machines itself. Ask for pools instead of naming machines.`,
        because: [{ says: `${site.name} is a ${site.kind}`, source: site.name }],
        offers: [
          {
            says: 'Leave the machines out',
            change: { patchDraft: [{ op: 'replace', path: '/machines', value: [] }] },
          },
        ],
      },
    ]
  }
  if (intent.machines.length === 0) {
    const box = site.boxes.find((other) => other.usedBy === null)
    const best = box && bestDisk(box, planned.release?.minimumRootDiskGb ?? 0)
    const card = box?.cards.find((other) => other.sharedWith === 0 && other.network !== null)
    const machine = box && {
      machine: box.name,
      roles: ['control-plane', 'worker'],
      nodeName: `${intent.name || 'node'}-a`,
      ...(best ? { disk: best.identifier } : {}),
      ...(card ? { card: card.name } : {}),
    }
    return [
      {
        level: 'stop',
        rule: 'machines.none',
        field: 'machines',
        says: `No machine of ${site.name} is chosen.`,
        because: site.boxes.map((other) => ({
          says: `${other.name}: ${other.cores} cores, ${bytesText(other.memoryBytes)}, ${other.usedBy === null ? 'free' : `used by ${other.usedBy}`}`,
          source: site.name,
          at: site.observedAt,
        })),
        offers: machine
          ? [
              {
                says: `Use ${machine.machine}`,
                change: { patchDraft: [{ op: 'replace', path: '/machines', value: [machine] }] },
              },
            ]
          : [],
      },
    ]
  }
  return intent.machines.flatMap((machine, index): readonly RawFinding[] => {
    const field = `machines[${index}].machine`
    const box = site.boxes.find((other) => other.name === machine.machine)
    const free = site.boxes.filter(
      (other) =>
        other.usedBy === null && !intent.machines.some((taken) => taken.machine === other.name),
    )
    const offers = free
      .slice(0, 2)
      .map((other) => ({ says: `Use ${other.name}`, change: set(index, 'machine', other.name) }))
    if (!box)
      return [
        {
          level: 'stop',
          rule: 'machine.known',
          field,
          says:
            machine.machine === ''
              ? 'No machine is chosen.'
              : `${site.name} has no machine ${machine.machine}.`,
          because: [
            {
              says: `machines: ${listText(site.boxes.map((other) => other.name)) || 'none'}`,
              source: site.name,
              at: site.observedAt,
            },
          ],
          offers,
        },
      ]
    if (intent.machines.findIndex((other) => other.machine === machine.machine) < index)
      return [
        {
          level: 'stop',
          rule: 'machine.twice',
          field,
          says: `${box.name} is named twice.`,
          because: [],
          offers,
        },
      ]
    const findings: RawFinding[] = []
    const reserved = reservationsAt(view, site.name).some(
      (taken) => taken.kind === 'machine' && taken.what === box.name,
    )
    if (box.usedBy !== null || reserved) {
      findings.push({
        level: 'stop',
        rule: 'machine.free',
        field,
        says:
          box.usedBy === null
            ? `${box.name} is reserved by a running change.`
            : `${box.name} is in use by ${box.usedBy}.`,
        because: [
          {
            says: box.usedBy === null ? 'reserved' : `used by ${box.usedBy}`,
            source: site.name,
            at: site.observedAt,
          },
        ],
        offers,
      })
    }
    if (!/^[a-z0-9]([-a-z0-9.]{0,251}[a-z0-9])?$/.test(machine.nodeName)) {
      findings.push({
        level: 'stop',
        rule: 'node.name',
        field: `machines[${index}].nodeName`,
        says:
          machine.nodeName === ''
            ? 'The node has no name yet.'
            : `“${machine.nodeName}” is no valid node name.`,
        because: [{ says: 'a node name is a DNS subdomain', source: 'RFC 1123' }],
        offers: [
          {
            says: `Call it ${intent.name || 'node'}-${String.fromCharCode(97 + (index % 26))}`,
            change: set(
              index,
              'nodeName',
              `${intent.name || 'node'}-${String.fromCharCode(97 + (index % 26))}`,
            ),
          },
        ],
      })
    }
    if (planned.release && !planned.release.architectures.includes(box.arch)) {
      findings.push({
        level: 'stop',
        rule: 'machine.architecture',
        field,
        says: `${box.name} is ${box.arch}; ${planned.release.version} is not built for it.`,
        because: [
          {
            says: `built for ${listText(planned.release.architectures)}`,
            source: 'release catalogue',
          },
        ],
      })
    }
    const image = site.images.find((one) => one.release === planned.release?.version)
    if (image && image.arch !== box.arch && joinsBy(machine, box) === 'install') {
      findings.push({
        level: 'stop',
        rule: 'machine.image',
        field,
        says: `${box.name} is ${box.arch}; the image of ${image.release} at ${site.name} is for ${image.arch}. It would not boot.`,
        because: [
          {
            says: `${image.name} ${image.release}: ${image.arch}`,
            source: site.name,
            at: site.observedAt,
          },
        ],
        offers,
      })
    }
    return [
      ...findings,
      ...(joinsBy(machine, box) === 'script' ? [] : checkDisk(box, machine, index, planned)),
      ...checkCard(box, machine, index),
      ...checkAddress(site, box, machine, index, planned),
    ]
  })
}
