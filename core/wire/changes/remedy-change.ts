/** A proven remedy of a walk as the change that makes it so. */
import { applyPatch, type JsonPatch } from './patch'
import type { WalkRemedy, WalkWorld } from '..'

export interface RemedyAsChange {
  readonly kind: string
  readonly intent: Readonly<Record<string, unknown>>
}

interface Written {
  readonly metadata: { readonly name: string; readonly namespace?: string }
  readonly spec?: Record<string, unknown>
}

/** The change kind and intent of a remedy, or null for one that is nobody’s to make. */
export function changeFor(world: WalkWorld, remedy: WalkRemedy): RemedyAsChange | null {
  const [step] = remedy.patch
  const [, part, at = '', ...rest] = (step?.path ?? '').split('/')
  if (!step) return null
  if (part === 'clusters') {
    const cluster = world.clusters[Number(at)]
    if (!cluster) return null
    if (remedy.kind === 'keep-source')
      return {
        kind: 'wire.keep-source',
        intent: {
          cluster: cluster.name,
          add: [Array.isArray(step.value) ? (step.value as unknown[])[0] : step.value],
        },
      }
    const place = Number(rest[1])
    const object = cluster.objects[place] as Written | undefined
    if (remedy.kind !== 'policy-peer' || !object) return null
    const changed = applyPatch(object, [
      { ...step, path: `/${rest.slice(2).join('/')}` },
    ] as JsonPatch) as Written
    return {
      kind: 'wire.policy',
      intent: {
        cluster: cluster.name,
        namespace: object.metadata.namespace ?? 'default',
        name: object.metadata.name,
        spec: changed.spec ?? {},
      },
    }
  }
  const site = world.sites[Number(at)]
  if (!site) return null
  const value = step.value as Readonly<Record<string, unknown>>
  switch (remedy.kind) {
    case 'keep-translation':
      return { kind: 'wire.translation', intent: { site: site.name, put: [value] } }
    case 'allow-in':
    case 'allow-out':
      return { kind: 'wire.firewall', intent: { site: site.name, put: [value] } }
    case 'route':
      return {
        kind: 'wire.route',
        intent: { site: site.name, network: value['network'], to: value['to'], via: value['via'] },
      }
    case 'rule-off':
      return {
        kind: 'wire.firewall',
        intent: { site: site.name, disable: [site.firewall[Number(rest[1])]?.name ?? ''] },
      }
    default:
      return null
  }
}
