/** The hosts of a zone, drawn with what they hold. */

import { countText, numberText } from '../../../core/units'
import type { HostLoss, hallRoom } from '../../../core/sizing'
import type { SiteView } from '../../../core/fleet'

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

/** One zone: its hosts side by side, all to the scale of the largest. The kept share is marked on each, not held by one. */
export function Zone({
  site,
  zone,
  loss,
  trial,
  trialCores,
  maxCores,
}: {
  readonly site: SiteView
  readonly zone: string
  readonly loss: HostLoss | null
  readonly trial: ReturnType<typeof hallRoom> | null
  readonly trialCores: number
  readonly maxCores: number
}) {
  const hosts = site.hosts.filter((host) => host.zone === zone)
  const shown = hosts.slice(0, 40)
  const y = (cores: number): number => (cores / maxCores) * height
  const size = (name: string): number =>
    site.machines.find((machine) => machine.name === name)?.cores ?? 0
  const largest = Math.max(0, ...hosts.map((host) => host.cores * site.overcommit))
  const kept = hosts.length === 0 ? 0 : (largest * site.reservePerZone) / hosts.length
  const blocksOf = (host: string): readonly Block[] => [
    ...site.machines
      .filter((machine) => machine.host === host)
      .sort((a, b) => (a.name < b.name ? -1 : 1))
      .map((machine): Block => ({
        name: machine.name,
        cores: machine.cores,
        cluster: machine.cluster,
        kind: loss?.host === host ? 'leaves' : 'stands',
      })),
    ...(loss?.moves.filter((move) => move.to === host) ?? []).map((move): Block => ({
      name: move.machine,
      cores: size(move.machine),
      cluster: site.machines.find((machine) => machine.name === move.machine)?.cluster ?? null,
      kind: 'comes',
    })),
    ...(trial?.placed.filter((entry) => entry.host === host) ?? []).map((entry): Block => ({
      name: entry.name,
      cores: trialCores,
      cluster: null,
      kind: 'trial',
    })),
  ]
  return (
    <figure className="packing-zone" aria-label={`Hosts of ${zone}`}>
      <figcaption className="mono">{zone}</figcaption>
      <svg
        width={shown.length * (width + gap)}
        height={height + 40}
        role="group"
        aria-label={`${zone}: ${countText(hosts.length, 'host')}`}
      >
        {shown.map((host, i) => {
          const cores = host.cores * site.overcommit
          const blocks = blocksOf(host.name)
          const used = blocks
            .filter((block) => block.kind !== 'leaves')
            .reduce((sum, block) => sum + block.cores, 0)
          const left = i * (width + gap)
          let at = height
          return (
            <g key={host.name} transform={`translate(${left} 0)`}>
              <rect
                x={0.5}
                y={height - y(cores) + 0.5}
                width={width - 1}
                height={y(cores) - 1}
                fill={host.service === 'dead' ? 'var(--broken-wash)' : 'var(--sheet)'}
                stroke="var(--border)"
                strokeDasharray={host.service === 'out' ? '4 3' : undefined}
              />
              {blocks.map((block) => {
                const tall = y(block.cores)
                at -= tall
                return (
                  <g key={`${block.kind}${block.name}`}>
                    <rect
                      x={2}
                      y={at + 1}
                      width={width - 4}
                      height={Math.max(1, tall - 2)}
                      fill={fills[block.kind]}
                      stroke={block.kind === 'leaves' ? 'var(--broken)' : 'none'}
                      strokeDasharray={block.kind === 'leaves' ? '3 2' : undefined}
                      rx={1.5}
                    >
                      <title>{`${block.name}: ${block.cores} cores${block.cluster === null ? '' : `, ${block.cluster}`}${block.kind === 'comes' ? ', restarts here' : block.kind === 'leaves' ? ', loses its host' : ''}`}</title>
                    </rect>
                    {tall > 13 ? (
                      <text
                        x={6}
                        y={at + tall / 2 + 3.5}
                        className="packing-name"
                        fill={
                          block.kind === 'trial'
                            ? 'var(--on-petrol)'
                            : block.kind === 'comes'
                              ? 'var(--sheet)'
                              : 'var(--ink)'
                        }
                      >
                        {block.name.length > 12 ? `…${block.name.slice(-11)}` : block.name}
                      </text>
                    ) : null}
                  </g>
                )
              })}
              {kept > 0 && host.service !== 'dead' ? (
                <line
                  x1={0}
                  x2={width}
                  y1={height - y(cores - kept)}
                  y2={height - y(cores - kept)}
                  stroke="var(--brass)"
                  strokeWidth={2}
                  strokeDasharray="5 3"
                />
              ) : null}
              <text x={width / 2} y={height + 15} textAnchor="middle" className="packing-host">
                {host.name}
              </text>
              <text x={width / 2} y={height + 30} textAnchor="middle" className="packing-used">
                {host.service === 'dead'
                  ? 'dead'
                  : host.service === 'out'
                    ? 'out of service'
                    : `${numberText(used)} of ${numberText(cores)}`}
              </text>
            </g>
          )
        })}
      </svg>
      {hosts.length > shown.length ? (
        <p className="soft">and {hosts.length - shown.length} more hosts: see the table</p>
      ) : null}
    </figure>
  )
}
