/** The change kind `registry.revoke`: a credential ends at once, with all of its rounds. */
import { z } from 'zod'
import { type ChangeKind, type RawFinding, ref, type Step, stop } from '../../changes'
import { command, type RegistryAccount } from '../../contract'
import { clusterOf, type FleetView } from '../../fleet'
import { askRetry, step } from '../../provisioning/steps'
import { accessPlan, registriesAre, unknownRegistry } from './access-shared'
import { denials, newlyDenied } from './close'
import { accessOf, registryIn, withAccess, withShown } from './denied'
import { said } from './says'

const revokeIntent = z.strictObject({
  registry: z.string().max(253),
  account: z.string().max(400),
})
type RevokeIntent = z.infer<typeof revokeIntent>

const accountIn = (intent: RevokeIntent, view: FleetView): RegistryAccount | undefined =>
  accessOf(registryIn(view, intent.registry)).accounts.find(({ name }) => name === intent.account)

/** What nodes show of the account; null where they show nothing of it. */
function shownOf(intent: RevokeIntent, view: FleetView, account: RegistryAccount) {
  const shown = clusterOf(view, account.cluster)?.pullsAs?.find(
    (entry) =>
      entry.registry === intent.registry &&
      entry.namespace === account.namespace &&
      entry.account === account.name,
  )
  return shown ? { account: shown.account, round: shown.round } : null
}

function after(intent: RevokeIntent, view: FleetView): FleetView {
  const account = accountIn(intent, view)
  if (!account) return view
  const ended = withAccess(view, intent.registry, (access) => ({
    ...access,
    accounts: access.accounts.filter(({ name }) => name !== intent.account),
  }))
  const { cluster, namespace } = account
  return shownOf(intent, view, account)
    ? withShown(ended, { cluster, namespace, registry: intent.registry }, null)
    : ended
}

function check(intent: RevokeIntent, view: FleetView): readonly RawFinding[] {
  const registry = registryIn(view, intent.registry)
  if (!registry) return [unknownRegistry(intent.registry, view)]
  const account = accountIn(intent, view)
  const accounts = accessOf(registry).accounts.map(({ name }) => name)
  if (!account)
    return [
      stop(
        'account.known',
        'account',
        said('account.unknown', { account: intent.account, registry: registry.host }),
        [{ ...said('accounts.are', { accounts }), source: registry.host }, registriesAre(view)],
        accounts.slice(0, 3).map((name) => ({
          says: `Take ${name}`,
          change: { patchDraft: [{ op: 'replace', path: '/account', value: name } as const] },
        })),
      ),
    ]
  return denials(
    registry.host,
    account.repositories,
    newlyDenied(registry.host, view, after(intent, view)),
    // A new credential in the place of the one that ends would end with it.
  ).map(({ offers: _offers, ...finding }) => finding)
}

function steps(intent: RevokeIntent, view: FleetView): readonly Step[] {
  const account = accountIn(intent, view)
  if (!account) throw new Error('a plan is made only for an account that is there')
  const { registry } = intent
  const { cluster, namespace, name } = account
  const shown = shownOf(intent, view, account)
  const end = step({
    id: 'end',
    after: [],
    group: registry,
    says: `end ${name}`,
    command: command('credential.end', {
      registry,
      name,
      rounds: account.rounds.map(({ round }) => round),
    }),
    undo: command('credential.reopen', { registry, accounts: [account] }),
    retry: askRetry,
    seconds: { likely: 1, worst: 5 },
  })
  if (!shown) return [end]
  const of = { cluster, registry, namespace }
  return [
    end,
    step({
      id: 'hide',
      after: ['end'],
      group: cluster,
      says: `have no node show it for ${namespace}`,
      command: command('nodes.credential', { ...of, shown: null }),
      undo: command('nodes.credential', { ...of, shown }),
      seconds: { likely: 8, worst: 60 },
    }),
  ]
}

export const registryRevoke: ChangeKind<RevokeIntent> = {
  name: 'registry.revoke',
  title: 'End a credential of a registry',
  intent: revokeIntent,
  needs: () => ['registries', 'objects-everywhere'],
  subjects: (intent) => [ref('account', intent.registry, intent.account)],
  guardedBy: () => null,
  label: ({ account }) => `end ${account || 'a credential'}`,
  check,
  after,
  plan: (intent, view) =>
    accessPlan(steps(intent, view), {
      alters: [ref('registry', intent.registry)],
      removes: [ref('account', intent.registry, intent.account)],
    }),
  prove: (intent, view) => [
    {
      says: `${intent.registry} takes ${intent.account} no more`,
      holds: accountIn(intent, view) === undefined,
      observed: accountIn(intent, view) ? 'it is still valid' : 'no such account',
    },
  ],
}
