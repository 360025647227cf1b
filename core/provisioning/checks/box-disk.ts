/** The disk that a machine is installed on: chosen, stable by name, large enough, and nobody’s data on it unasked. */
import { caution, type Fact, type RawFinding, stop } from '../../changes'
import type { Said } from '../../contract'
import type { BoxView, DiskView } from '../../fleet'
import type { Planned } from '../planned'
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

interface Objection {
  readonly rule: string
  readonly says: Said
  /** The disk that could be wiped after all. */
  readonly wipe?: DiskView
}

/** What stands against the disk that is named, or against naming none; null where nothing does. */
function diskObjection(
  box: BoxView,
  machine: MachineIntent,
  minimum: number,
  baseImage: string,
): Objection | null {
  const named = machine.disk ?? ''
  if (named === '') {
    const isPlain = box.disks.length === 1 && bestDisk(box, minimum) !== undefined
    const says = said('disk.chosen', { box: box.name, disksCount: box.disks.length })
    return isPlain ? null : { rule: 'disk.chosen', says }
  }
  const disk = diskNamed(box, named)
  if (!disk) {
    const shown = box.disks.find((candidate) => candidate.shownAs === named)
    // What a system calls its disks changes from boot to boot: of several, that is no name.
    if (shown)
      return box.disks.length === 1
        ? null
        : {
            rule: 'disk.stable',
            says: said('disk.stable', { disk: named, shortName: shortName(shown) }),
          }
    return { rule: 'disk.known', says: said('disk.known', { box: box.name, disk: named }) }
  }
  const name = shortName(disk)
  const { sizeGb, holds } = disk
  if (disk.removable)
    return { rule: 'disk.removable', says: said('disk.removable', { shortName: name }) }
  if (sizeGb < minimum)
    return {
      rule: 'disk.small',
      says: said('disk.small', { shortName: name, sizeGb, baseImage, minimum }),
    }
  if (holds !== null && machine.wipe !== disk.identifier)
    return { rule: 'disk.data', says: said('disk.data', { shortName: name, holds }), wipe: disk }
  return null
}

const diskNamed = (box: BoxView, identifier: string | undefined): DiskView | undefined =>
  box.disks.find((disk) => disk.identifier === identifier)

export function checkDisk(
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
  const objection = diskObjection(box, machine, minimum, planned.release?.baseImage ?? '')
  if (objection) {
    const { rule, says, wipe } = objection
    const wiping = wipe
      ? [{ says: `Wipe ${shortName(wipe)}`, change: set(index, 'wipe', wipe.identifier) }]
      : []
    return [stop(rule, field, says, because, [...offers, ...wiping])]
  }
  const disk = diskNamed(box, machine.disk)
  if (!disk) return []
  if (machine.wipe !== undefined && machine.wipe !== '' && machine.wipe !== disk.identifier)
    return [
      stop(
        'disk.wipe',
        `machines[${index}].wipe`,
        said('disk.wipe', { wipe: machine.wipe, identifier: disk.identifier }),
        because,
        [
          {
            says: 'Wipe nothing',
            change: { patchDraft: [{ op: 'remove', path: `/machines/${index}/wipe` }] },
          },
        ],
      ),
    ]
  if (disk.holds === null) return []
  return [
    caution(
      'disk.wiped',
      field,
      said('disk.wiped', { shortName: shortName(disk), holds: disk.holds }),
      because,
      offers,
    ),
  ]
}
