/** The change kind `registry.close`: repositories that only those with a credential pull from and push to, or that are open to all again. */
import { z } from 'zod'
import { caution, type ChangeKind, type RawFinding, ref, stop } from '../../changes'
import { command, isAmong } from '../../contract'
import type { FleetView } from '../../fleet'
import { askRetry, step } from '../../provisioning/steps'
import { accessPlan, misnamed, registriesAre, unknownRegistry } from './access-shared'
import {
  accessOf,
  type DeniedNamespace,
  deniedNamespaces,
  imagesBelow,
  registryIn,
  withAccess,
} from './denied'
import { said } from './says'

const closeIntent = z.strictObject({
  registry: z.string().max(253),
  /** A repository, with all below it. */
  repositories: z.string().max(255),
  closed: z.boolean().default(true),
})
type CloseIntent = z.infer<typeof closeIntent>

const after = ({ registry, repositories, closed }: CloseIntent, view: FleetView): FleetView =>
  withAccess(view, registry, (access) => ({
    ...access,
    closed: [
      ...access.closed.filter((entry) => entry !== repositories),
      ...(closed ? [repositories] : []),
    ],
  }))

/** Namespaces whose pods could be made anew before and not after. */
export function newlyDenied(
  registry: string,
  before: FleetView,
  then: FleetView,
): readonly DeniedNamespace[] {
  const already = new Map(
    deniedNamespaces(before, registry).map((entry) => [
      `${entry.cluster}/${entry.namespace}`,
      entry.pods,
    ]),
  )
  return deniedNamespaces(then, registry).filter(
    ({ cluster, namespace, pods }) => pods > (already.get(`${cluster}/${namespace}`) ?? 0),
  )
}

/** One finding for each namespace that would be denied, with the credential that helps. */
export const denials = (
  registry: string,
  repositories: readonly string[],
  denied: readonly DeniedNamespace[],
): readonly RawFinding[] =>
  denied.map(({ cluster, namespace, workloads, pods }) => ({
    level: 'caution',
    rule: `denies.${cluster}.${namespace}`,
    about: ref('namespace', cluster, namespace),
    ...said('access.denies', { cluster, namespace, pods, workloads }),
    because: [{ ...said('access.shown', { registry, namespace }), source: cluster }],
    offers: [
      {
        says: `Give ${namespace} of ${cluster} a credential first`,
        change: {
          kind: 'registry.credential',
          intent: { registry, repositories, cluster, namespace, purpose: 'pull' },
        },
      },
    ],
  }))

function check(intent: CloseIntent, view: FleetView): readonly RawFinding[] {
  const registry = registryIn(view, intent.registry)
  if (!registry) return [unknownRegistry(intent.registry, view)]
  const { closed } = accessOf(registry)
  const because = [
    { ...said('closed.are', { closed: [...closed] }), source: registry.host },
    registriesAre(view),
  ]
  if (misnamed([intent.repositories]) !== undefined)
    return [
      stop(
        'repositories.named',
        'repositories',
        said('repositories.misnamed', { repositories: intent.repositories }),
        because,
      ),
    ]
  const above = closed.find(
    (entry) => entry !== intent.repositories && isAmong([entry], intent.repositories),
  )
  if (closed.includes(intent.repositories) === intent.closed || (!intent.closed && above))
    return [
      stop(
        'closed.new',
        'closed',
        intent.closed
          ? said('closed.already', { repositories: intent.repositories })
          : said('closed.not', { repositories: intent.repositories, above: above ?? null }),
        because,
      ),
    ]
  if (!intent.closed) return []
  const held = imagesBelow(registry, [intent.repositories])
  return [
    ...(held.length === 0
      ? [
          caution(
            'repositories.hold',
            'repositories',
            said('repositories.empty', {
              registry: registry.host,
              repositories: intent.repositories,
            }),
            because,
          ),
        ]
      : []),
    ...denials(
      registry.host,
      [intent.repositories],
      newlyDenied(registry.host, view, after(intent, view)),
    ),
  ]
}

const textOf = ({ repositories, closed }: CloseIntent): string =>
  closed
    ? `close ${repositories || 'repositories'}`
    : `open ${repositories || 'repositories'} to all`

export const registryClose: ChangeKind<CloseIntent> = {
  name: 'registry.close',
  title: 'Close repositories to whoever shows no credential',
  intent: closeIntent,
  needs: () => ['registries', 'objects-everywhere'],
  subjects: (intent) => [ref('registry', intent.registry)],
  guardedBy: () => null,
  label: textOf,
  check,
  after,
  plan: (intent) => {
    const { registry, repositories, closed } = intent
    return accessPlan(
      [
        step({
          id: 'close',
          after: [],
          group: registry,
          says: textOf(intent),
          command: command('repositories.close', { registry, repositories, closed }),
          undo: command('repositories.close', { registry, repositories, closed: !closed }),
          retry: askRetry,
          seconds: { likely: 1, worst: 5 },
        }),
      ],
      { alters: [ref('registry', registry)] },
    )
  },
  prove: (intent, view) => {
    const { closed } = accessOf(registryIn(view, intent.registry))
    return [
      {
        says: intent.closed
          ? `${intent.repositories} is given to nobody without a credential`
          : `${intent.repositories} is given to all`,
        holds: isAmong(closed, intent.repositories) === intent.closed,
        observed: closed.length === 0 ? 'nothing is closed' : `closed: ${closed.join(', ')}`,
      },
    ]
  },
}
