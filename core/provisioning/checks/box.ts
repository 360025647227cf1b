/** Machines that exist already: the right box, disk, card and address. The wrong disk cannot be unwritten. */
import type { Said } from '../../contract'
import type { Fact, RawFinding } from '../../changes'
import type { BoxView, DiskView } from '../../fleet'
import { joinsBy } from '../join'
import type { Check, Planned } from '../planned'
import { reservationsAt } from '../planned'
import { checkAddress, checkCard } from './box-address'
import type { MachineIntent } from './box-parts'
import { set } from './box-parts'
import { said } from './says'

/** The last part of an identifier, which is how people tell disks apart. */
const shortName = (disk: DiskView): string => disk.identifier.split('/').pop() ?? disk.identifier

const diskTold = ({ identifier, sizeGb, removable, holds, shownAs }: DiskView): Said =>
  said('disk', { identifier, sizeGb, removable, holds, shownAs })

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
    ...diskTold(disk),
    source: `${box.name}, disks`,
    at: planned.site?.observedAt ?? planned.view.now,
  }))
  const best = bestDisk(box, minimum)
  const offers = best
    ? [{ says: `Use ${shortName(best)}`, change: set(index, 'disk', best.identifier) }]
    : []
  const stop = (
    rule: string,
    objection: Said,
    more: RawFinding['offers'] = [],
  ): readonly RawFinding[] => [
    { level: 'stop', rule, field, ...objection, because, offers: [...offers, ...(more ?? [])] },
  ]

  if (machine.disk === undefined || machine.disk === '') {
    if (box.disks.length === 1 && best) return []
    return stop('disk.chosen', said('disk.chosen', { box: box.name, disksCount: box.disks.length }))
  }
  const disk = box.disks.find((disk) => disk.identifier === machine.disk)
  if (!disk) {
    const shown = box.disks.find((otherDisk) => otherDisk.shownAs === machine.disk)
    if (shown && box.disks.length > 1) {
      return stop(
        'disk.stable',
        said('disk.stable', { disk: machine.disk, shortName: shortName(shown) }),
      )
    }
    if (shown) return []
    return stop('disk.known', said('disk.known', { box: box.name, disk: machine.disk }))
  }
  if (disk.removable)
    return stop('disk.removable', said('disk.removable', { shortName: shortName(disk) }))
  if (disk.sizeGb < minimum)
    return stop(
      'disk.small',
      said('disk.small', {
        shortName: shortName(disk),
        sizeGb: disk.sizeGb,
        baseImage: planned.release?.baseImage ?? '',
        minimum,
      }),
    )
  if (disk.holds !== null && machine.wipe !== disk.identifier) {
    return stop('disk.data', said('disk.data', { shortName: shortName(disk), holds: disk.holds }), [
      { says: `Wipe ${shortName(disk)}`, change: set(index, 'wipe', disk.identifier) },
    ])
  }
  if (machine.wipe !== undefined && machine.wipe !== '' && machine.wipe !== disk.identifier) {
    return [
      {
        level: 'stop',
        rule: 'disk.wipe',
        field: `machines[${index}].wipe`,
        ...said('disk.wipe', { wipe: machine.wipe, identifier: disk.identifier }),
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
        ...said('disk.wiped', { shortName: shortName(disk), holds: disk.holds }),
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
        ...said('machines.pools'),
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
        ...said('machines.site', { site: site.name }),
        because: [
          { ...said('site-kind', { site: site.name, kind: site.kind }), source: site.name },
        ],
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
    const box = site.boxes.find((box) => box.usedBy === null)
    const best = box && bestDisk(box, planned.release?.minimumRootDiskGb ?? 0)
    const card = box?.cards.find((card) => card.sharedWith === 0 && card.network !== null)
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
        ...said('machines.none', { site: site.name }),
        because: site.boxes.map((otherBox) => ({
          ...said('machine', {
            machine: otherBox.name,
            cores: otherBox.cores,
            memoryBytes: otherBox.memoryBytes,
            usedBy: otherBox.usedBy,
          }),
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
    const box = site.boxes.find((box) => box.name === machine.machine)
    const free = site.boxes.filter(
      (otherBox) =>
        otherBox.usedBy === null &&
        !intent.machines.some((taken) => taken.machine === otherBox.name),
    )
    const offers = free.slice(0, 2).map((candidate) => ({
      says: `Use ${candidate.name}`,
      change: set(index, 'machine', candidate.name),
    }))
    if (!box)
      return [
        {
          level: 'stop',
          rule: 'machine.known',
          field,
          ...(machine.machine === ''
            ? said('machine.known.no-machine-chosen')
            : said('machine.known.no-machine', { site: site.name, machine: machine.machine })),
          because: [
            {
              ...said('machines', { boxes: site.boxes.map((otherBox) => otherBox.name) }),
              source: site.name,
              at: site.observedAt,
            },
          ],
          offers,
        },
      ]
    if (
      intent.machines.findIndex((otherMachine) => otherMachine.machine === machine.machine) < index
    )
      return [
        {
          level: 'stop',
          rule: 'machine.twice',
          field,
          ...said('machine.twice', { box: box.name }),
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
        ...(box.usedBy === null
          ? said('machine.free.reserved-running-change', { box: box.name })
          : said('machine.free.in-use', { box: box.name, usedBy: box.usedBy })),
        because: [
          {
            ...(box.usedBy === null ? said('reserved') : said('used', { usedBy: box.usedBy })),
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
        ...(machine.nodeName === ''
          ? said('node.name.node-no-name')
          : said('node.name.no-valid-node', { nodeName: machine.nodeName })),
        because: [{ ...said('node-name-dns'), source: 'RFC 1123' }],
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
        ...said('machine.architecture', {
          box: box.name,
          arch: box.arch,
          version: planned.release.version,
        }),
        because: [
          {
            ...said('built', { architectures: planned.release.architectures }),
            source: 'release catalogue',
          },
        ],
      })
    }
    const image = site.images.find((image) => image.release === planned.release?.version)
    if (image && image.arch !== box.arch && joinsBy(machine, box) === 'install') {
      findings.push({
        level: 'stop',
        rule: 'machine.image',
        field,
        ...said('machine.image', {
          box: box.name,
          arch: box.arch,
          release: image.release,
          site: site.name,
          imageArch: image.arch,
        }),
        because: [
          {
            ...said('image-release-arch', {
              image: image.name,
              release: image.release,
              arch: image.arch,
            }),
            source: site.name,
            at: site.observedAt,
          },
        ],
        offers,
      })
    }
    if (joinsBy(machine, box) === 'script' && site.gyrarchAt === undefined)
      findings.push({
        level: 'stop',
        rule: 'machine.contact',
        field,
        ...said('machine.contact', { box: box.name, site: site.name }),
        because: [{ ...said('no-contact', { site: site.name }), source: 'register' }],
      })
    return [
      ...findings,
      ...(joinsBy(machine, box) === 'script' ? [] : checkDisk(box, machine, index, planned)),
      ...checkCard(box, machine, index),
      ...checkAddress(site, box, machine, index, planned),
    ]
  })
}
