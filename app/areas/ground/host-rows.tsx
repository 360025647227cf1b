/** The hosts of a zone, drawn with what they hold. */

import { countText, numberText } from '../../../core/units'
import type { HostLoss, hallRoom } from '../../../core/sizing'
import type { SiteView } from '../../../core/fleet'
import { useTurn } from '../../kit/turn'

export const width = 68
export const gap = 12
export const height = 330
export interface Block {
  readonly name: string
  readonly cores: number
  readonly cluster: string | null
  readonly kind: 'stands' | 'leaves' | 'comes' | 'trial'
}

export const fills: Readonly<Record<Block['kind'], string>> = {
  stands: 'var(--arc-4)',
  leaves: 'var(--broken-wash)',
  comes: 'var(--brass)',
  trial: 'var(--petrol)',
}

type Host = SiteView['hosts'][number]

/** What happens to a block that is not simply there. */
const fateText: Readonly<Record<Block['kind'], string>> = {
  stands: '',
  trial: '',
  comes: ', restarts here',
  leaves: ', loses its host',
}

const nameFills: Readonly<Record<Block['kind'], string>> = {
  stands: 'var(--ink)',
  leaves: 'var(--ink)',
  comes: 'var(--sheet)',
  trial: 'var(--on-petrol)',
}

/** A machine on its host, `tall` high with its top at `top`. Its name is written where there is room. */
function BlockRect({
  block,
  top,
  tall,
}: {
  readonly block: Block
  readonly top: number
  readonly tall: number
}) {
  const { name, kind, cores, cluster } = block
  return (
    <g>
      <rect
        x={2}
        y={top + 1}
        width={width - 4}
        height={Math.max(1, tall - 2)}
        fill={fills[kind]}
        stroke={kind === 'leaves' ? 'var(--broken)' : 'none'}
        strokeDasharray={kind === 'leaves' ? '3 2' : undefined}
        rx={1.5}
      >
        <title>{`${name}: ${cores} cores${cluster === null ? '' : `, ${cluster}`}${fateText[kind]}`}</title>
      </rect>
      {tall > 13 ? (
        <text x={6} y={top + tall / 2 + 3.5} className="packing-name" fill={nameFills[kind]}>
          {name.length > 12 ? `…${name.slice(-11)}` : name}
        </text>
      ) : null}
    </g>
  )
}

const serviceText = (host: Host, used: number, cores: number): string => {
  if (host.service === 'dead') return 'dead'
  return host.service === 'out' ? 'out of service' : `${numberText(used)} of ${numberText(cores)}`
}

/** One host with its blocks from below, and the line above which it keeps its share free. */
function HostColumn({
  host,
  cores,
  kept,
  blocks,
  left,
  scale,
}: {
  readonly host: Host
  readonly cores: number
  readonly kept: number
  readonly blocks: readonly Block[]
  readonly left: number
  /** Height of so many cores. */
  readonly scale: (cores: number) => number
}) {
  useTurn()
  const used = blocks
    .filter((block) => block.kind !== 'leaves')
    .reduce((sum, block) => sum + block.cores, 0)
  let top = height
  const line = height - scale(cores - kept)
  return (
    <g transform={`translate(${left} 0)`}>
      <rect
        x={0.5}
        y={height - scale(cores) + 0.5}
        width={width - 1}
        height={scale(cores) - 1}
        fill={host.service === 'dead' ? 'var(--broken-wash)' : 'var(--sheet)'}
        stroke="var(--border)"
        strokeDasharray={host.service === 'out' ? '4 3' : undefined}
      />
      {blocks.map((block) => {
        const tall = scale(block.cores)
        top -= tall
        return <BlockRect key={`${block.kind}${block.name}`} block={block} top={top} tall={tall} />
      })}
      {kept > 0 && host.service !== 'dead' ? (
        <line
          x1={0}
          x2={width}
          y1={line}
          y2={line}
          stroke="var(--brass)"
          strokeWidth={2}
          strokeDasharray="5 3"
        />
      ) : null}
      <text x={width / 2} y={height + 15} textAnchor="middle" className="packing-host">
        {host.name}
      </text>
      <text x={width / 2} y={height + 30} textAnchor="middle" className="packing-used">
        {serviceText(host, used, cores)}
      </text>
    </g>
  )
}

interface Packing {
  readonly site: SiteView
  readonly loss: HostLoss | null
  readonly trial: ReturnType<typeof hallRoom> | null
  readonly trialCores: number
}

/** What a host holds: what stands there, what would come from a host that dies, what is tried out. */
function blocksOf({ site, loss, trial, trialCores }: Packing, host: string): readonly Block[] {
  const machines = new Map(site.machines.map((machine) => [machine.name, machine]))
  const stands = site.machines
    .filter((machine) => machine.host === host)
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .map(({ name, cores, cluster }): Block => ({
      name,
      cores,
      cluster,
      kind: loss?.host === host ? 'leaves' : 'stands',
    }))
  const coming = (loss?.moves ?? [])
    .filter((move) => move.to === host)
    .map(({ machine }): Block => ({
      name: machine,
      cores: machines.get(machine)?.cores ?? 0,
      cluster: machines.get(machine)?.cluster ?? null,
      kind: 'comes',
    }))
  const tried = (trial?.placed ?? [])
    .filter((entry) => entry.host === host)
    .map(({ name }): Block => ({ name, cores: trialCores, cluster: null, kind: 'trial' }))
  return [...stands, ...coming, ...tried]
}

/** One zone: its hosts side by side, all to the scale of the largest. The kept share is marked on each, not held by one. */
export function Zone({
  zone,
  maxCores,
  ...packing
}: Packing & { readonly zone: string; readonly maxCores: number }) {
  const { site } = packing
  const hosts = site.hosts.filter((host) => host.zone === zone)
  const shown = hosts.slice(0, 40)
  const largest = Math.max(0, ...hosts.map((host) => host.cores * site.overcommit))
  const kept = hosts.length === 0 ? 0 : (largest * site.reservePerZone) / hosts.length
  return (
    <figure className="packing-zone" aria-label={`Hosts of ${zone}`}>
      <figcaption className="mono">{zone}</figcaption>
      <svg
        width={shown.length * (width + gap)}
        height={height + 40}
        role="group"
        aria-label={`${zone}: ${countText(hosts.length, 'host')}`}
      >
        {shown.map((host, i) => (
          <HostColumn
            key={host.name}
            host={host}
            cores={host.cores * site.overcommit}
            kept={kept}
            blocks={blocksOf(packing, host.name)}
            left={i * (width + gap)}
            scale={(cores) => (cores / maxCores) * height}
          />
        ))}
      </svg>
      {hosts.length > shown.length ? (
        <p className="soft">and {hosts.length - shown.length} more hosts: see the table</p>
      ) : null}
    </figure>
  )
}
