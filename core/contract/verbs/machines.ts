/** Machines of a site: made, booted, stopped, restarted, deleted. */
import { z } from 'zod'
import { ref } from '../refs'
import { atSite, siteSlice } from '../places'
import { verb } from '../verb'

const named = z.object({ site: z.string(), name: z.string() })
type Named = z.infer<typeof named>

const machineRef = ({ site, name }: Named) => ref('machine', site, name)

export const machineCreate = verb({
  name: 'machine.create',
  port: 'site',
  args: named.extend({
    zone: z.string(),
    size: z.string(),
    /** The release of its base image. */
    release: z.string(),
    rootDiskGb: z.number(),
    lifetime: z.enum(['on-demand', 'spot']),
    cluster: z.string(),
    /** A group whose machines stand on different hosts, or null. */
    apart: z.string().nullable().default(null),
    /** Null is the network of its zone. */
    network: z.string().nullable().default(null),
    /** An address held for it; null is a lease at boot. */
    address: z.string().nullable().default(null),
  }),
  result: z.object({ machine: z.string(), host: z.string().nullable(), zone: z.string() }),
  failures: [
    'name-taken',
    'unavailable',
    'image-missing',
    'size-unknown',
    'no-stock',
    'quota',
    'disk-small',
    'no-room',
    'store-full',
    'machine-gone',
  ],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, name }) => [ref('machine', site, name), ref('disk', site, `${name}-root`)],
})

export const machineBoot = verb({
  name: 'machine.boot',
  port: 'site',
  args: named.extend({
    bootData: z
      .object({
        handed: z.enum(['inline', 'pointer']),
        bytes: z.number(),
        lines: z.number(),
        /** SHA-256 in hexadecimal. */
        digest: z.string(),
        instance: z.string(),
      })
      .optional(),
    /** Empty is what the network hands out. */
    nameServers: z.array(z.string()).default([]),
    timeServers: z.array(z.string()).default([]),
  }),
  result: z.object({
    machine: z.string(),
    address: z.string().nullable(),
    endpoint: z.string(),
  }),
  failures: [
    'machine-gone',
    'dhcp-silent',
    'no-address',
    'machine-died',
    'boot-data-large',
    'boot-data-malformed',
    'boot-data-missing',
    'name-server',
    'runtime-failed',
  ],
  at: atSite,
  touches: siteSlice,
})

export const machineStop = verb({
  name: 'machine.stop',
  port: 'site',
  args: named,
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
})

export const machineRestart = verb({
  name: 'machine.restart',
  port: 'site',
  args: named,
  result: z.object({}),
  failures: ['machine-gone', 'host-dead', 'no-power'],
  at: atSite,
  touches: siteSlice,
})

export const machineDelete = verb({
  name: 'machine.delete',
  port: 'site',
  args: named,
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: (args) => [machineRef(args), ref('disk', args.site, `${args.name}-root`)],
})
