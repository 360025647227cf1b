/** Machines that exist already: the right box, disk, card and address. The wrong disk cannot be unwritten. */
import type { Fact, RawFinding } from '../../changes'
import { contains, formatAddress, parseAddress, parseCidr, parseRange } from '../../addresses'
import type { BoxView, DiskView, SiteView } from '../../fleet'
import { bytesText, listText, numberText } from '../../units'
import { addressObjection, lowestFree, takenIn } from '../static-addresses'
import { joinsBy } from '../join'
import { type Check, type Planned, reservationsAt } from '../planned'
import type { RaiseIntent } from '../raise-intent'

type MachineIntent = RaiseIntent['machines'][number]

const set = (index: number, key: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path: `/machines/${index}/${key}`, value } as const],
})

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

function checkCard(box: BoxView, machine: MachineIntent, index: number): readonly RawFinding[] {
  if (box.cards.length < 2 && !machine.card) return []
  const field = `machines[${index}].card`
  const because: Fact[] = box.cards.map((card) => ({
    says: `${card.name} (${card.mac}): ${card.network ?? card.address ?? 'no address'}${card.sharedWith ? `, an address that ${card.sharedWith} others hold too` : ''}`,
    source: 'address ledger',
  }))
  const good = box.cards.filter((card) => card.sharedWith === 0 && card.network !== null)
  const offers = good
    .slice(0, 2)
    .map((card) => ({ says: `Use ${card.name}`, change: set(index, 'card', card.name) }))
  if (!machine.card)
    return [
      {
        level: 'stop',
        rule: 'card.chosen',
        field,
        says: `${box.name} has ${box.cards.length} network cards. Choose the one the cluster’s traffic goes over.`,
        because,
        offers,
      },
    ]
  const card = box.cards.find((other) => other.name === machine.card)
  if (!card)
    return [
      {
        level: 'stop',
        rule: 'card.known',
        field,
        says: `${box.name} has no network card ${machine.card}.`,
        because,
        offers,
      },
    ]
  // A machine that runs tells by its call what is on its cards; an address that is given says which one is meant.
  const told =
    joinsBy(machine, box) === 'script' &&
    machine.address !== undefined &&
    machine.address !== '' &&
    machine.address.split('/')[0] !== card.address
  if (card.sharedWith > 0 && !told) {
    return [
      {
        level: 'stop',
        rule: 'card.shared',
        field,
        says: `${card.name} has ${card.address ?? 'an address'}, which ${card.sharedWith} others hold too. Nodes could not tell each other apart.`,
        because,
        offers,
      },
    ]
  }
  return []
}

/** The network a box’s chosen card is on. */
export const cardNetwork = (site: SiteView, box: BoxView, machine: MachineIntent) => {
  const card =
    box.cards.find((other) => other.name === machine.card) ??
    (box.cards.length === 1 ? box.cards[0] : undefined)
  const given =
    machine.address && joinsBy(machine, box) === 'script'
      ? parseRange(machine.address.split('/')[0] ?? '')
      : null
  if (given?.ok) {
    return site.networks.find((network) => {
      const range = parseCidr(network.range)
      return range.ok && contains(range.value, given.value)
    })
  }
  return site.networks.find((network) => network.name === card?.network)
}

/** The address a box will hold: the one given, else the lowest free one of its network. */
export function boxAddress(
  site: SiteView,
  box: BoxView,
  machine: MachineIntent,
  planned: Planned,
): string | null {
  const noted = box.cards.find((card) => card.name === machine.card)?.address
  // A machine that runs already has its address; the script compares.
  if (!machine.address && joinsBy(machine, box) === 'script' && noted) return noted
  if (machine.address) {
    const given = parseAddress(machine.address.split('/')[0] ?? '')
    return given.ok ? formatAddress(given.value) : null
  }
  const network = cardNetwork(site, box, machine)
  if (!network) return null
  return (
    lowestFree(network, takenIn(network, site, reservationsAt(planned.view, site.name)), 1)[0] ??
    null
  )
}

function checkAddress(
  site: SiteView,
  box: BoxView,
  machine: MachineIntent,
  index: number,
  planned: Planned,
): readonly RawFinding[] {
  const network = cardNetwork(site, box, machine)
  const field = `machines[${index}].address`
  if (
    !network &&
    joinsBy(machine, box) === 'script' &&
    boxAddress(site, box, machine, planned) === null
  ) {
    return [
      {
        level: 'stop',
        rule: 'address.inside',
        field,
        says: `Nobody knows the inside address of ${box.name}. Say which one the nodes should reach it at; its script compares.`,
        because: box.cards.map((card) => ({
          says: `${card.name}: ${card.address ?? 'no address known'}`,
          source: 'address ledger',
        })),
      },
    ]
  }
  if (!network || (joinsBy(machine, box) === 'script' && !machine.address)) return []
  const taken = takenIn(network, site, reservationsAt(planned.view, site.name))
  const free = lowestFree(network, taken, 1)[0]
  const length = network.range.split('/')[1] ?? ''
  const offers =
    free === undefined
      ? []
      : [{ says: `Use ${free}/${length}`, change: set(index, 'address', `${free}/${length}`) }]
  const because: Fact[] = [
    {
      says: `${network.name}: ${network.range}, gateway ${network.gateway ?? 'none'}, DHCP ${network.dhcp ?? 'none'}`,
      source: 'address ledger',
    },
  ]
  const stop = (says: string): readonly RawFinding[] => [
    { level: 'stop', rule: 'address.free', field, says, because, offers },
  ]
  if (!machine.address) {
    return free === undefined
      ? stop(`${network.name} has no free static address.`)
      : [
          {
            level: 'note',
            rule: 'address.proposed',
            field,
            says: `The lowest free address of ${network.name} is taken: ${free}.`,
            because,
            offers,
          },
        ]
  }
  const [alone = '', prefix] = machine.address.split('/')
  const block = prefix === undefined ? null : parseCidr(machine.address, { hostBits: true })
  if (block && !block.ok) return stop(block.says)
  if (block?.ok && prefix !== length)
    return stop(`${machine.address} says /${prefix ?? ''}; ${network.name} is a /${length}.`)
  const objection = addressObjection(alone, network, taken)
  return objection === null ? [] : stop(objection)
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
