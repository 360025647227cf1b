/** Machines that stand somewhere already: entered, installed, taken as they are, cleared, struck. */
import { z } from 'zod'
import { ref } from '../refs'
import { box } from '../shapes'
import { atSite, siteSlice } from '../places'
import { verb } from '../verb'

const named = z.object({ site: z.string(), name: z.string() })

const use = named.extend({
  cluster: z.string(),
  release: z.string(),
  card: z.string(),
  network: z.string(),
  /** Null where it takes a lease. */
  address: z.string().nullable().default(null),
})

const takenInto = ({ site, name, address }: z.infer<typeof use>) => [
  ref('machine', site, name),
  ...(address === null ? [] : [ref('address', site, address)]),
]

export const boxInstall = verb({
  name: 'box.install',
  port: 'site',
  args: use.extend({
    /** Its stable identifier, or the name it shows as. */
    disk: z.string(),
    /** The identifier of a disk whose data may go, or null. */
    wipe: z.string().nullable().default(null),
  }),
  result: z.object({ machine: z.string(), disk: z.string() }),
  failures: ['machine-gone', 'machine-used', 'image-missing', 'disk-unknown', 'disk-holds-data'],
  at: atSite,
  touches: siteSlice,
  makes: takenInto,
})

/** Taken into use as it stands: nothing is written over, its agent is set up. */
export const boxTake = verb({
  name: 'box.take',
  port: 'site',
  args: use,
  result: z.object({}),
  failures: ['machine-gone', 'machine-used'],
  at: atSite,
  touches: siteSlice,
  makes: takenInto,
})

export const boxClear = verb({
  name: 'box.clear',
  port: 'site',
  args: named,
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, name }) => [ref('machine', site, name)],
})

export const boxAdd = verb({
  name: 'box.add',
  port: 'site',
  args: z.object({
    site: z.string(),
    boxes: z.array(box.extend({ usedBy: z.string().nullable().default(null) })),
    /** Boxes that are struck in the same go. */
    drop: z.array(z.string()).default([]),
  }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, boxes }) => boxes.map((box) => ref('box', site, box.name)),
  removes: ({ site, drop }) => drop.map((name) => ref('box', site, name)),
})

export const boxDrop = verb({
  name: 'box.drop',
  port: 'site',
  args: z.object({ site: z.string(), names: z.array(z.string()) }),
  result: z.object({}),
  failures: ['machine-used'],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, names }) => names.map((name) => ref('box', site, name)),
})
