/** The ranges of a cluster, with the neighbours that they must keep clear of. */

import { parseRange, contains, parseCidr, clusterRanges } from '../../../core/addresses'
import { stripAround, AddressStrip } from '../../drawings/address-strip'
import { countText, numberText } from '../../../core/units'
import type { RaiseIntent } from '../../../core/provisioning'
import type { Route } from './+types/sheet'
import { TextIn, NumberIn } from './fields'

/** What the ledger holds in a domain, without the blocks that others are cut from: those collide with nothing. */
export function neighbours(
  view: Route.ComponentProps['loaderData']['view'],
  domain: string,
  own: string,
): readonly { readonly name: string; readonly range: string }[] {
  const entries = view.ledger.filter((entry) => entry.domain === domain && entry.holder !== own)
  const holdsAnother = (entry: (typeof entries)[number]): boolean => {
    const outer = parseRange(entry.range)
    return (
      entry.kind === 'peer' &&
      entries.some((otherEntry) => {
        const inside = parseRange(otherEntry.range)
        return otherEntry !== entry && outer.ok && inside.ok && contains(outer.value, inside.value)
      })
    )
  }
  return entries.filter((entry) => !holdsAnother(entry)).map(({ name, range }) => ({ name, range }))
}

export function Ranges({
  intent,
  view,
  domain,
}: {
  readonly intent: RaiseIntent
  readonly view: Route.ComponentProps['loaderData']['view']
  readonly domain: string
}) {
  const pods = parseCidr(intent.ranges.pods)
  const services = parseCidr(intent.ranges.services)
  const holds =
    pods.ok && services.ok
      ? clusterRanges(pods.value, intent.ranges.maxPodsPerNode, services.value)
      : null
  const own = [
    { name: `${intent.name || 'this draft'} pods`, range: intent.ranges.pods, mine: true },
    { name: `${intent.name || 'this draft'} services`, range: intent.ranges.services, mine: true },
  ]
  const around = stripAround(
    own.map((holder) => holder.range),
    12,
  )
  return (
    <section aria-labelledby="sheet-ranges">
      <h2 id="sheet-ranges">Ranges</h2>
      <div className="fields">
        <TextIn
          path="ranges.pods"
          label="Pods"
          value={intent.ranges.pods}
          help={holds?.ok ? `room for ${countText(Number(holds.value.maxNodes), 'node')}` : ''}
        />
        <TextIn
          path="ranges.services"
          label="Services"
          value={intent.ranges.services}
          help={
            holds?.ok
              ? `${numberText(Number(holds.value.services))} services, DNS at ${holds.value.dnsAddress ?? 'none'}`
              : ''
          }
          width={230}
        />
        <NumberIn
          path="ranges.maxPodsPerNode"
          label="Pods a node"
          value={intent.ranges.maxPodsPerNode}
          max={2048}
        />
      </div>
      <p className="soft" style={{ margin: '8px 0 4px' }}>
        <span className="mono">{around}</span> in routing domain {domain}
      </p>
      <AddressStrip
        range={around}
        label={`Ranges of ${domain}`}
        holders={[...neighbours(view, domain, intent.name), ...own]}
      />
    </section>
  )
}
