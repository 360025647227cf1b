/** Machines that exist already: the right box, disk, card and address. The wrong disk cannot be unwritten. */
import { type Fact, type Offer, type RawFinding, stop } from '../../changes'
import type { Said } from '../../contract'
import type { BoxView, SiteView } from '../../fleet'
import { joinsBy } from '../join'
import type { Check, Planned } from '../planned'
import { reservationsAt } from '../planned'
import { checkAddress, checkCard } from './box-address'
import { bestDisk, checkDisk } from './box-disk'
import type { MachineIntent } from './box-parts'
import { set } from './box-parts'
import { said } from './says'

const replaced = (path: '/machines' | '/pools', value: unknown) => ({
  patchDraft: [{ op: 'replace', path, value } as const],
})

const observed = (fact: Said, site: SiteView): Fact => ({
  ...fact,
  source: site.name,
  at: site.observedAt,
})

/** What stands against named machines at a site that makes its own; null where nothing does. */
function checkOwnGround({ intent }: Planned, site: SiteView): RawFinding | null {
  if (site.boxes.length === 0)
    return stop(
      'machines.site',
      'machines',
      said('machines.site', { site: site.name }),
      [{ ...said('site-kind', { site: site.name, kind: site.kind }), source: site.name }],
      [{ says: 'Leave the machines out', change: replaced('/machines', []) }],
    )
  if (intent.pools.length > 0)
    return stop(
      'machines.pools',
      'machines',
      said('machines.pools'),
      [],
      [
        { says: 'Raise it on the machines named', change: replaced('/pools', []) },
        { says: 'Have the site make them', change: replaced('/machines', []) },
      ],
    )
  return null
}

/** No machine is named where only machines that stand can be used: the first free one is offered. */
function noMachine({ intent, release }: Planned, site: SiteView): RawFinding {
  const box = site.boxes.find((candidate) => candidate.usedBy === null)
  const disk = box && bestDisk(box, release?.minimumRootDiskGb ?? 0)
  const card = box?.cards.find(({ sharedWith, network }) => sharedWith === 0 && network !== null)
  const machine = box && {
    machine: box.name,
    roles: ['control-plane', 'worker'],
    nodeName: `${intent.name || 'node'}-a`,
    ...(disk ? { disk: disk.identifier } : {}),
    ...(card ? { card: card.name } : {}),
  }
  return stop(
    'machines.none',
    'machines',
    said('machines.none', { site: site.name }),
    site.boxes.map(({ name, cores, memoryBytes, usedBy }) =>
      observed(said('machine', { machine: name, cores, memoryBytes, usedBy }), site),
    ),
    machine ? [{ says: `Use ${machine.machine}`, change: replaced('/machines', [machine]) }] : [],
  )
}

/** A machine of the draft, with its place in it and what could be used instead. */
interface Named {
  readonly machine: MachineIntent
  readonly index: number
  readonly field: string
  readonly site: SiteView
  readonly planned: Planned
  readonly offers: readonly Offer[]
}

/** No machine of that name, or one that is named twice; null where it is there, once. */
function checkThere({ machine, index, field, site, planned, offers }: Named): RawFinding | null {
  const { machine: name } = machine
  if (!site.boxes.some((box) => box.name === name))
    return stop(
      'machine.known',
      field,
      name === ''
        ? said('machine.known.no-machine-chosen')
        : said('machine.known.no-machine', { site: site.name, machine: name }),
      [observed(said('machines', { boxes: site.boxes.map((box) => box.name) }), site)],
      offers,
    )
  const first = planned.intent.machines.findIndex((candidate) => candidate.machine === name)
  return first < index
    ? stop('machine.twice', field, said('machine.twice', { box: name }), [], offers)
    : null
}

/** Somebody has it, or a running change is about to. */
function checkFree(box: BoxView, { field, site, planned, offers }: Named): readonly RawFinding[] {
  const { usedBy, name } = box
  if (usedBy !== null)
    return [
      stop(
        'machine.free',
        field,
        said('machine.free.in-use', { box: name, usedBy }),
        [observed(said('used', { usedBy }), site)],
        offers,
      ),
    ]
  const isReserved = reservationsAt(planned.view, site.name).some(
    (taken) => taken.kind === 'machine' && taken.what === name,
  )
  if (!isReserved) return []
  return [
    stop(
      'machine.free',
      field,
      said('machine.free.reserved-running-change', { box: name }),
      [observed(said('reserved'), site)],
      offers,
    ),
  ]
}

function checkNodeName({ machine, index, planned }: Named): readonly RawFinding[] {
  const { nodeName } = machine
  if (/^[a-z0-9]([-a-z0-9.]{0,251}[a-z0-9])?$/.test(nodeName)) return []
  const letter = String.fromCharCode(97 + (index % 26))
  const offered = `${planned.intent.name || 'node'}-${letter}`
  return [
    stop(
      'node.name',
      `machines[${index}].nodeName`,
      nodeName === ''
        ? said('node.name.node-no-name')
        : said('node.name.no-valid-node', { nodeName }),
      [{ ...said('node-name-dns'), source: 'RFC 1123' }],
      [{ says: `Call it ${offered}`, change: set(index, 'nodeName', offered) }],
    ),
  ]
}

/** The release is built for its processor, and the image it is installed from is, too. */
function checkArchitecture(
  box: BoxView,
  { machine, field, site, planned, offers }: Named,
): readonly RawFinding[] {
  const { release } = planned
  const { name, arch } = box
  const findings: RawFinding[] = []
  if (release && !release.architectures.includes(arch))
    findings.push(
      stop(
        'machine.architecture',
        field,
        said('machine.architecture', { box: name, arch, version: release.version }),
        [
          {
            ...said('built', { architectures: release.architectures }),
            source: 'release catalogue',
          },
        ],
      ),
    )
  const image = site.images.find((candidate) => candidate.release === release?.version)
  if (image && image.arch !== arch && joinsBy(machine, box) === 'install')
    findings.push(
      stop(
        'machine.image',
        field,
        said('machine.image', {
          box: name,
          arch,
          release: image.release,
          site: site.name,
          imageArch: image.arch,
        }),
        [
          observed(
            said('image-release-arch', {
              image: image.name,
              release: image.release,
              arch: image.arch,
            }),
            site,
          ),
        ],
        offers,
      ),
    )
  return findings
}

/** Where Gyrarch is reached from must be known to whoever runs a script there. */
const checkContact = (box: BoxView, { field, site }: Named): readonly RawFinding[] =>
  site.gyrarchAt === undefined
    ? [
        stop(
          'machine.contact',
          field,
          said('machine.contact', { box: box.name, site: site.name }),
          [{ ...said('no-contact', { site: site.name }), source: 'register' }],
        ),
      ]
    : []

function checkMachine(planned: Planned, site: SiteView, index: number): readonly RawFinding[] {
  const { machines } = planned.intent
  const machine = machines[index]
  if (!machine) return []
  const free = site.boxes.filter(
    ({ name, usedBy }) => usedBy === null && !machines.some((taken) => taken.machine === name),
  )
  const named: Named = {
    machine,
    index,
    field: `machines[${index}].machine`,
    site,
    planned,
    offers: free.slice(0, 2).map(({ name }) => ({
      says: `Use ${name}`,
      change: set(index, 'machine', name),
    })),
  }
  const notThere = checkThere(named)
  const box = site.boxes.find((candidate) => candidate.name === machine.machine)
  if (notThere || !box) return notThere ? [notThere] : []
  return [
    ...checkFree(box, named),
    ...checkNodeName(named),
    ...checkArchitecture(box, named),
    ...(joinsBy(machine, box) === 'script'
      ? checkContact(box, named)
      : checkDisk(box, machine, index, planned)),
    ...checkCard(box, machine, index),
    ...checkAddress(site, box, machine, index, planned),
  ]
}

export const checkBoxes: Check = (planned) => {
  const { intent, site } = planned
  if (!site) return []
  if (site.kind !== 'edge') {
    if (intent.machines.length === 0) return []
    const finding = checkOwnGround(planned, site)
    if (finding) return [finding]
  }
  if (intent.machines.length === 0) return [noMachine(planned, site)]
  return intent.machines.flatMap((_, index) => checkMachine(planned, site, index))
}
