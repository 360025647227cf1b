/** The network card and the address that a machine that stands is reached by. */

import { parseRange, parseCidr, contains, parseAddress, formatAddress } from '../../addresses'
import type { RawFinding, Fact } from '../../changes'
import type { Box as BoxView } from '../../contract'
import type { SiteView } from '../../fleet'
import { joinsBy } from '../join'
import { addressObjection, lowestFree, takenIn } from '../static-addresses'
import type { Planned } from '../planned'
import { reservationsAt } from '../planned'
import type { MachineIntent } from './box-parts'
import { set } from './box-parts'
import { said } from './says'
import { quoted, type Said } from '../../contract'

export function checkCard(
  box: BoxView,
  machine: MachineIntent,
  index: number,
): readonly RawFinding[] {
  if (box.cards.length < 2 && !machine.card) return []
  const field = `machines[${index}].card`
  const because: Fact[] = box.cards.map((card) => ({
    ...said('card', {
      card: card.name,
      mac: card.mac,
      network: card.network ?? card.address ?? 'no address',
      sharedWith: card.sharedWith,
    }),
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
        ...said('card.chosen', { box: box.name, cardsCount: box.cards.length }),
        because,
        offers,
      },
    ]
  const card = box.cards.find((card) => card.name === machine.card)
  if (!card)
    return [
      {
        level: 'stop',
        rule: 'card.known',
        field,
        ...said('card.known', { box: box.name, card: machine.card }),
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
        ...said('card.shared', {
          card: card.name,
          address: card.address ?? 'an address',
          sharedWith: card.sharedWith,
        }),
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
    box.cards.find((card) => card.name === machine.card) ??
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

export function checkAddress(
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
        ...said('address.inside', { box: box.name }),
        because: box.cards.map((card) => ({
          ...said('card-address', { card: card.name, address: card.address ?? 'no address known' }),
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
      ...said('network', {
        network: network.name,
        range: network.range,
        gateway: network.gateway ?? 'none',
        dhcp: network.dhcp ?? 'none',
      }),
      source: 'address ledger',
    },
  ]
  const stop = (objection: Said): readonly RawFinding[] => [
    { level: 'stop', rule: 'address.free', field, ...objection, because, offers },
  ]
  if (!machine.address) {
    return free === undefined
      ? stop(said('no-free-static', { network: network.name }))
      : [
          {
            level: 'note',
            rule: 'address.proposed',
            field,
            ...said('address.proposed', { network: network.name, free }),
            because,
            offers,
          },
        ]
  }
  const [alone = '', prefix] = machine.address.split('/')
  const block = prefix === undefined ? null : parseCidr(machine.address, { hostBits: true })
  if (block && !block.ok) return stop(quoted('address.unreadable', block.says))
  if (block?.ok && prefix !== length)
    return stop(
      said('address-prefix', {
        address: machine.address,
        prefix: prefix ?? '',
        network: network.name,
        length,
      }),
    )
  const objection = addressObjection(alone, network, taken)
  return objection === null ? [] : stop(objection)
}
