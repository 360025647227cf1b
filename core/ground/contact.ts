/** The change kind `site.contact`: where machines at a site reach Gyrarch, for the scripts by which they join. */
import { z } from 'zod'
import { contains, parseAddress, parseRange } from '../addresses'
import { type RawFinding, caution, stop } from '../changes'
import { command, ref } from '../contract'
import type { SiteView } from '../fleet'
import { oneStep, put, seen } from './one-step'
import { said } from './says'
import { name } from './sites'
import { resolve } from './zone-file'

const contactIntent = z.strictObject({
  site: name,
  /** Like http://10.20.0.254:4600; null takes it away. */
  address: z.string().trim().max(300).nullable(),
})
type ContactIntent = z.infer<typeof contactIntent>

export type Contact =
  | { readonly ok: true; readonly origin: string; readonly host: string }
  | {
      readonly ok: false
      readonly reason: 'unreadable' | 'more' | 'loopback'
      readonly origin: string
    }

const loopback = ['127.0.0.0/8', '::1/128', '0.0.0.0/32', '::/128']

function isLoopback(host: string): boolean {
  // IPv4 mapped into IPv6 is read as neither.
  if (host === 'localhost' || host.endsWith('.localhost') || host.startsWith('::ffff:7f'))
    return true
  const address = parseRange(host)
  return (
    address.ok &&
    loopback.some((text) => {
      const range = parseRange(text)
      return range.ok && contains(range.value, address.value)
    })
  )
}

/** Reads where Gyrarch is reached: scheme, host and port, and nothing after them. Machines elsewhere cannot reach a loopback. */
export function readContact(text: string): Contact {
  let url: URL
  try {
    url = new URL(text)
  } catch {
    return { ok: false, reason: 'unreadable', origin: '' }
  }
  if (url.protocol !== 'http:' && url.protocol !== 'https:')
    return { ok: false, reason: 'unreadable', origin: '' }
  const host = url.hostname.replace(/^\[|\]$/g, '').replace(/\.$/, '')
  const { origin } = url
  if (isLoopback(host)) return { ok: false, reason: 'loopback', origin }
  if (url.pathname !== '/' || url.search !== '' || url.hash !== '' || url.username !== '')
    return { ok: false, reason: 'more', origin }
  return { ok: true, origin, host }
}

function check(intent: ContactIntent, site: SiteView): readonly RawFinding[] {
  if (intent.address === null)
    return site.gyrarchAt === undefined
      ? [stop('contact.none', 'address', said('contact.none', { site: site.name }))]
      : []
  const contact = readContact(intent.address)
  if (!contact.ok) {
    if (contact.reason === 'more')
      return [
        stop(
          'contact.more',
          'address',
          said('contact.more', { address: intent.address }),
          [],
          [{ says: `Use ${contact.origin}`, change: put('/address', contact.origin) }],
        ),
      ]
    return [
      stop(
        `contact.${contact.reason}`,
        'address',
        said(`contact.${contact.reason}`, { address: intent.address, site: site.name }),
      ),
    ]
  }
  // Where it is a name of the site’s own domain, somebody has to answer for it.
  if (
    !parseAddress(contact.host).ok &&
    contact.host.endsWith(`.${site.nameDomain}`) &&
    resolve(site.records, site.nameDomain, contact.host).addresses.length === 0
  )
    return [
      caution(
        'contact.name',
        'address',
        said('contact.name', { host: contact.host, site: site.name }),
        [seen(site, said('records-of', { domain: site.nameDomain, records: site.records.length }))],
      ),
    ]
  return []
}

const originOf = (address: string | null): string | null => {
  const contact = address === null ? null : readContact(address)
  return contact?.ok === true ? contact.origin : null
}

export const siteContact = oneStep<ContactIntent>({
  name: 'site.contact',
  title: 'Say where machines reach Gyrarch',
  intent: contactIntent,
  label: (intent) =>
    intent.address === null
      ? `forget where ${intent.site} reaches Gyrarch`
      : `say that ${intent.site} reaches Gyrarch at ${intent.address}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('contact', intent.site),
  check,
  says: (intent) =>
    intent.address === null
      ? 'no address is kept'
      : `join scripts call ${originOf(intent.address) ?? intent.address}`,
  command: (intent) =>
    command('contact.set', { site: intent.site, address: originOf(intent.address) }),
  undo: (intent, site) =>
    command('contact.set', { site: intent.site, address: site.gyrarchAt ?? null }),
  seconds: { likely: 1, worst: 2 },
  after: (intent, { gyrarchAt: _was, ...site }) => {
    const origin = originOf(intent.address)
    return origin === null ? site : { ...site, gyrarchAt: origin }
  },
  prove: (intent, site) => [
    {
      says: 'Join scripts call the address that was drafted',
      holds: (site?.gyrarchAt ?? null) === originOf(intent.address),
      observed: site?.gyrarchAt ?? 'no address is kept',
    },
  ],
})
