/** The change kind `site.machines`: machines that stand somewhere are entered, or struck. */
import { dnsLabel } from '../objects/dns-label'
import { command } from '../contract'
import { z } from 'zod'
import { type RawFinding, ref, stop } from '../changes'
import type { BoxView, SiteView } from '../fleet'
import { GiB, listText } from '../units'
import { oneStep, put, seen } from './one-step'
import { said } from './says'
import { countText } from '../units'

const name = z.string().max(253)
const box = z.strictObject({
  name,
  zone: name,
  arch: z.enum(['x86-64', 'arm64']).default('x86-64'),
  cores: z.int().min(1).max(1024),
  memoryGiB: z.number().min(0.5).max(65_536),
  /** Whether an operating system runs on it already: then it joins by a script. */
  prepared: z.boolean().default(false),
  disks: z
    .array(
      z.strictObject({
        identifier: z.string().max(300),
        shownAs: z.string().max(100).default(''),
        sizeGb: z.number().min(1).max(1_000_000),
        removable: z.boolean().default(false),
        holds: z.string().max(300).nullable().default(null),
      }),
    )
    .max(64)
    .default([]),
  cards: z
    .array(
      z.strictObject({
        name: z.string().max(40),
        mac: z.string().max(20),
        address: z.string().max(60).nullable().default(null),
        network: name.nullable().default(null),
      }),
    )
    .max(32)
    .default([]),
})
const intent = z.strictObject({
  site: name,
  add: z.array(box).max(500).default([]),
  remove: z.array(name).max(500).default([]),
})
type Intent = z.infer<typeof intent>

const asView = (entry: Intent['add'][number]): BoxView => ({
  name: entry.name,
  zone: entry.zone,
  arch: entry.arch,
  cores: entry.cores,
  memoryBytes: entry.memoryGiB * GiB,
  prepared: entry.prepared,
  disks: entry.disks,
  cards: entry.cards.map((card) => ({ ...card, sharedWith: 0 })),
  usedBy: null,
})

const macForm = /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/i

type Because = RawFinding['because']

/** What stands against striking the machine `remove[index]`. */
function checkStruck(
  struck: string,
  index: number,
  site: SiteView,
  because: Because,
): readonly RawFinding[] {
  const field = `remove[${index}]`
  const existing = site.boxes.find((candidate) => candidate.name === struck)
  if (!existing)
    return [
      stop(
        'machine.known',
        field,
        said('machine.known', { site: site.name, gone: struck }),
        because,
      ),
    ]
  if (existing.usedBy === null) return []
  return [
    stop(
      'machine.free',
      field,
      said('machine.free', { gone: struck, usedBy: existing.usedBy }),
      because,
    ),
  ]
}

/** What stands against the cards of the machine `add[index]`. */
function checkCards({ name, cards }: Intent['add'][number], index: number): readonly RawFinding[] {
  const field = `add[${index}].cards`
  if (cards.length === 0) return [stop('card.none', field, said('card.none', { name }))]
  const findings: RawFinding[] = []
  const bad = cards.findIndex((card) => !macForm.test(card.mac))
  if (bad >= 0)
    findings.push(
      stop('card.mac', `${field}[${bad}].mac`, said('card.mac', { mac: cards[bad]?.mac ?? '' })),
    )
  const macs = new Set(cards.map((card) => card.mac.toLowerCase()))
  if (macs.size < cards.length)
    findings.push(stop('card.twice', field, said('card.twice', { name })))
  return findings
}

/** What stands against the machine `add[index]`. */
function checkEntered(
  intent: Intent,
  index: number,
  site: SiteView,
  because: Because,
): readonly RawFinding[] {
  const entered = intent.add[index]
  if (!entered) return []
  const { name, zone } = entered
  const field = `add[${index}]`
  const findings: RawFinding[] = []
  if (!dnsLabel.test(name))
    findings.push(stop('machine.name', `${field}.name`, said('machine.name', { name })))
  const taken =
    site.boxes.some((existing) => existing.name === name) ||
    intent.add.findIndex((candidate) => candidate.name === name) < index
  if (taken)
    findings.push(
      stop('machine.twice', `${field}.name`, said('machine.twice', { name }), because, [
        { says: `Call it ${name}-2`, change: put(`/add/${index}/name`, `${name}-2`) },
      ]),
    )
  if (!site.zones.includes(zone))
    findings.push(
      stop(
        'zone.known',
        `${field}.zone`,
        said('zone.known.no-zone', { site: site.name, zone }),
        [seen(site, said('zones', { zones: site.zones }))],
        site.zones
          .slice(0, 2)
          .map((there) => ({ says: `Use ${there}`, change: put(`/add/${index}/zone`, there) })),
      ),
    )
  return [...findings, ...checkCards(entered, index)]
}

export const siteMachines = oneStep<Intent>({
  name: 'site.machines',
  title: 'Enter machines that stand there',
  intent,
  label: (intent) =>
    `${
      intent.add.length > 0
        ? `enter ${listText(
            intent.add.map((eachBox) => eachBox.name),
            3,
          )}`
        : `strike ${listText(intent.remove, 3)}`
    } at ${intent.site}`,
  site: (intent) => intent.site,
  subject: (intent) =>
    ref('machines', intent.site, intent.add[0]?.name ?? intent.remove[0] ?? 'none'),
  check: (intent, site) => {
    const because = [seen(site, said('boxes', { boxes: site.boxes.map(({ name }) => name) }))]
    if (intent.add.length + intent.remove.length === 0)
      return [stop('machines.none', 'add', said('machines.none'), because)]
    return [
      ...intent.remove.flatMap((struck, i) => checkStruck(struck, i, site, because)),
      ...intent.add.flatMap((_, i) => checkEntered(intent, i, site, because)),
    ]
  },
  says: (intent) =>
    `${
      intent.add.length > 0
        ? `enter ${listText(
            intent.add.map((eachBox) => eachBox.name),
            4,
          )}`
        : ''
    }${intent.remove.length > 0 ? `${intent.add.length > 0 ? ', ' : ''}strike ${listText(intent.remove, 4)}` : ''}`,
  command: (intent) =>
    intent.add.length > 0
      ? command('box.add', {
          site: intent.site,
          boxes: intent.add.map(asView),
          drop: intent.remove,
        })
      : command('box.drop', { site: intent.site, names: intent.remove }),
  undo: (intent) =>
    intent.remove.length > 0
      ? null
      : command('box.drop', {
          site: intent.site,
          names: intent.add.map((eachBox) => eachBox.name),
        }),
  seconds: { likely: 10, worst: 30 },
  makes: 'creates',
  after: (intent, site) => ({
    ...site,
    boxes: [
      ...site.boxes.filter((otherBox) => !intent.remove.includes(otherBox.name)),
      ...intent.add.map(asView),
    ],
  }),
  prove: (intent, site) => {
    const missing = intent.add
      .filter((candidate) => !site?.boxes.some((otherBox) => otherBox.name === candidate.name))
      .map((eachBox) => eachBox.name)
    const still = intent.remove.filter((gone) =>
      site?.boxes.some((otherBox) => otherBox.name === gone),
    )
    return [
      {
        says: 'The site lists them as drafted',
        holds: missing.length + still.length === 0,
        observed:
          missing.length + still.length === 0
            ? `${countText(site?.boxes.length ?? 0, 'machine')} listed`
            : `missing: ${listText(missing) || 'none'}; still there: ${listText(still) || 'none'}`,
      },
    ]
  },
})
