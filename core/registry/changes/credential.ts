/**
 * The change kind `registry.credential`: a namespace gets a credential for a registry, or the next round of the one it has. A
 * credential for pulling is shown by the nodes from then on and proven by a pull before the one before it ends.
 */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  guardedCluster,
  listing,
  noCluster,
  noNamespace,
  note,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../../changes'
import {
  accountPurposes,
  type Command,
  command,
  isAmong,
  type RegistryAccount,
} from '../../contract'
import { clusterOf, type FleetView } from '../../fleet'
import { askRetry, step } from '../../provisioning/steps'
import { countText } from '../../units'
import { accessPlan, misnamed, registriesAre, unknownRegistry } from './access-shared'
import { accessOf, imagesBelow, registryIn, withAccess, withShown } from './denied'
import { said } from './says'

const credentialIntent = z.strictObject({
  registry: z.string().max(253),
  /** Repositories, each with all below it. */
  repositories: z.array(z.string().max(255)).min(1).max(40),
  cluster: z.string().max(253),
  namespace: z.string().max(63),
  purpose: z.enum(accountPurposes).default('pull'),
  /** How long it is valid. */
  days: z.number().int().min(1).max(365).default(90),
})
type CredentialIntent = z.infer<typeof credentialIntent>

export const accountName = ({
  cluster,
  namespace,
  purpose,
}: Pick<CredentialIntent, 'cluster' | 'namespace' | 'purpose'>): string =>
  `${namespace}.${cluster}.${purpose}`

function accountBefore(intent: CredentialIntent, view: FleetView): RegistryAccount | undefined {
  const name = accountName(intent)
  return accessOf(registryIn(view, intent.registry)).accounts.find(
    (account) => account.name === name,
  )
}

const nextRound = (before: RegistryAccount | undefined): number =>
  Math.max(0, ...(before?.rounds ?? []).map(({ round }) => round)) + 1

/** What it is for from now on: what it was for stays, or those who use it would be shut out. */
const repositoriesOf = (intent: CredentialIntent, before: RegistryAccount | undefined) => [
  ...new Set([...(before?.repositories ?? []), ...intent.repositories]),
]

/** How many images a pull proves it by: a tag of each of so many repositories. */
const provenBy = 3

function pulled(intent: CredentialIntent, view: FleetView): readonly string[] {
  const registry = registryIn(view, intent.registry)
  if (!registry) return []
  const last = new Map(
    imagesBelow(registry, intent.repositories).map((image) => [
      image.slice(0, image.lastIndexOf(':')),
      image,
    ]),
  )
  return [...last.values()].slice(0, provenBy)
}

function check(intent: CredentialIntent, view: FleetView): readonly RawFinding[] {
  const registry = registryIn(view, intent.registry)
  if (!registry) return [unknownRegistry(intent.registry, view)]
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const silent = listing(cluster, view)
  if (silent.length > 0) return silent
  if (!cluster.namespaces.includes(intent.namespace))
    return [noNamespace(intent.namespace, cluster)]
  const wrong = misnamed(intent.repositories)
  if (wrong !== undefined)
    return [
      stop(
        'repositories.named',
        'repositories',
        said('repositories.misnamed', { repositories: wrong }),
        [registriesAre(view)],
      ),
    ]
  const { closed } = accessOf(registry)
  const open = intent.repositories.filter((repository) => !isAmong(closed, repository))
  const before = accountBefore(intent, view)
  const facts = [{ ...said('closed.are', { closed: [...closed] }), source: registry.host }]
  return [
    ...(open.length === intent.repositories.length
      ? [note('credential.open', 'repositories', said('credential.not-needed', { open }), facts)]
      : []),
    ...(intent.purpose === 'pull' && pulled(intent, view).length === 0
      ? [
          caution(
            'credential.unproven',
            'repositories',
            said('credential.unproven', { repositories: intent.repositories }),
            facts,
          ),
        ]
      : []),
    ...(before
      ? [
          note(
            'credential.rotates',
            'purpose',
            intent.purpose === 'pull'
              ? said('credential.rotates', { name: before.name })
              : said('credential.adds', { name: before.name, rounds: before.rounds.length }),
            before.rounds.map(({ round, until }) => ({
              ...said('round.is', { round, until }),
              source: registry.host,
            })),
          ),
        ]
      : []),
  ]
}

/** Ends what was valid before, once the next one has shown that it works. */
function endSteps(
  intent: CredentialIntent,
  ended: readonly number[],
  after: string,
  asBefore: Command,
): readonly Step[] {
  if (ended.length === 0) return []
  const { registry } = intent
  return [
    step({
      id: 'end',
      after: [after],
      group: registry,
      says: `end what was valid before: round ${ended.join(', ')}`,
      command: command('credential.end', { registry, name: accountName(intent), rounds: ended }),
      undo: asBefore,
      retry: askRetry,
      seconds: { likely: 1, worst: 5 },
    }),
  ]
}

function steps(intent: CredentialIntent, view: FleetView): readonly Step[] {
  const { registry, cluster, namespace, purpose, days } = intent
  const before = accountBefore(intent, view)
  const name = accountName(intent)
  const round = nextRound(before)
  const asBefore = before
    ? command('credential.reopen', { registry, accounts: [before] })
    : command('credential.end', { registry, name, rounds: [round] })
  const open = step({
    id: 'open',
    after: [],
    group: registry,
    says: `open round ${round} of ${name} for ${countText(days, 'day')}`,
    command: command('credential.open', {
      registry,
      name,
      purpose,
      cluster,
      namespace,
      repositories: repositoriesOf(intent, before),
      round,
      days,
    }),
    undo: asBefore,
    retry: askRetry,
    seconds: { likely: 1, worst: 5 },
  })
  if (purpose === 'push') return [open]
  const images = pulled(intent, view)
  const ended = (before?.rounds ?? []).map((entry) => entry.round)
  return [
    open,
    step({
      id: 'show',
      after: ['open'],
      group: cluster,
      says: `have every node show it when it pulls for ${namespace}`,
      command: command('nodes.credential', {
        cluster,
        registry,
        namespace,
        shown: { account: name, round },
      }),
      undo: command('nodes.credential', {
        cluster,
        registry,
        namespace,
        shown: { $from: 'show', path: 'before' },
      }),
      seconds: { likely: 8, worst: 60 },
    }),
    ...(images.length === 0
      ? []
      : [
          step({
            id: 'pull',
            after: ['show'],
            group: cluster,
            says: `pull ${countText(images.length, 'image')} with it on every node`,
            command: command('images.pull', {
              cluster,
              namespace,
              images: images.map((image) => ({ name: image, digest: null })),
            }),
            seconds: { likely: 22, worst: 90 },
          }),
        ]),
    ...endSteps(intent, ended, images.length === 0 ? 'show' : 'pull', asBefore),
  ]
}

export const registryCredential: ChangeKind<CredentialIntent> = {
  name: 'registry.credential',
  title: 'Give a namespace a credential for a registry',
  intent: credentialIntent,
  needs: (intent) => ['registries', `cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) => [ref('account', intent.registry, accountName(intent))],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: ({ namespace, cluster, purpose }) =>
    `let ${namespace || 'a namespace'} of ${cluster || 'a cluster'} ${purpose}`,
  check,
  after: (intent, view) => {
    const before = accountBefore(intent, view)
    const name = accountName(intent)
    const round = nextRound(before)
    const until = new Date(Date.parse(view.now) + intent.days * 86_400_000).toISOString()
    const { cluster, namespace, purpose, registry } = intent
    const opened = withAccess(view, registry, (access) => ({
      ...access,
      accounts: [
        ...access.accounts.filter((account) => account.name !== name),
        {
          name,
          purpose,
          cluster,
          namespace,
          repositories: repositoriesOf(intent, before),
          rounds: [{ round, until }],
        },
      ],
    }))
    return purpose === 'pull' ? withShown(opened, intent, { account: name, round }) : opened
  },
  plan: (intent, view) =>
    accessPlan(steps(intent, view), {
      creates: accountBefore(intent, view)
        ? []
        : [ref('account', intent.registry, accountName(intent))],
      alters: [ref('registry', intent.registry), ref('cluster', intent.cluster)],
    }),
  prove: (intent, view, results) => {
    const account = accountBefore(intent, view)
    const until = results['open']?.['until']
    const round = account?.rounds.find((candidate) => candidate.until === until)
    const shown = clusterOf(view, intent.cluster)?.pullsAs?.find(
      (entry) => entry.registry === intent.registry && entry.namespace === intent.namespace,
    )
    const nodes = Number(results['pull']?.['nodes'] ?? 0)
    return [
      {
        says: `${accountName(intent)} is valid at ${intent.registry}`,
        holds: round !== undefined && Date.parse(round.until) > Date.parse(view.now),
        observed: round
          ? `round ${round.round}, until ${round.until.slice(0, 10)}`
          : 'no such round',
      },
      ...(intent.purpose === 'pull'
        ? [
            {
              says: `nodes of ${intent.cluster} pull with it for ${intent.namespace}`,
              holds: shown?.round === round?.round && (results['pull'] === undefined || nodes > 0),
              observed:
                results['pull'] === undefined
                  ? `shows round ${shown?.round ?? 'none'}; no image was there to pull`
                  : `round ${shown?.round ?? 'none'}, pulled on ${countText(nodes, 'node')}`,
            },
          ]
        : []),
    ]
  },
}
