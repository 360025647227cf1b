/** Who may pull from a registry and push to it: closed repositories, accounts with an end, and what nodes show. */
import { z } from 'zod'
import { registryAccount } from '../registry-access'
import { ref } from '../refs'
import { atCluster, clusterSlice } from '../places'
import { verb } from '../verb'

const desk = () => ref('desk')
const nothing = () => []

/** Repositories are closed to whoever shows no account that opens them, or opened to all again. */
export const repositoriesClose = verb({
  name: 'repositories.close',
  port: 'desk',
  args: z.object({ registry: z.string(), repositories: z.string(), closed: z.boolean() }),
  result: z.object({}),
  failures: ['no-registry'],
  at: desk,
  touches: nothing,
})

/** A round of an account is opened, and the account with its first one. The round says what it is: opening it again changes nothing. */
export const credentialOpen = verb({
  name: 'credential.open',
  port: 'desk',
  args: registryAccount.omit({ rounds: true }).extend({
    registry: z.string(),
    round: z.number(),
    days: z.number(),
  }),
  result: z.object({ until: z.string() }),
  failures: ['no-registry'],
  at: desk,
  touches: nothing,
})

const ofRounds = z.object({ registry: z.string(), name: z.string(), rounds: z.array(z.number()) })

/** Rounds of an account end at once; an account without any is gone. */
export const credentialEnd = verb({
  name: 'credential.end',
  port: 'desk',
  args: ofRounds,
  result: z.object({ ended: z.array(registryAccount) }),
  failures: ['no-registry'],
  at: desk,
  touches: nothing,
})

/** What ended is as it was before. */
export const credentialReopen = verb({
  name: 'credential.reopen',
  port: 'desk',
  args: z.object({ registry: z.string(), accounts: z.array(registryAccount) }),
  result: z.object({}),
  failures: ['no-registry'],
  at: desk,
  touches: nothing,
})

const shown = z.object({ account: z.string(), round: z.number() })

/** Nodes of a cluster show a credential to a registry when they pull for a namespace; null shows none. */
export const nodesCredential = verb({
  name: 'nodes.credential',
  port: 'cluster',
  args: z.object({
    cluster: z.string(),
    registry: z.string(),
    namespace: z.string(),
    shown: shown.nullable(),
  }),
  result: z.object({ before: shown.nullable() }),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})
