/**
 * The demo’s partner, a process of its own: a cluster behind its own network, whose API nobody is told of but the agent
 * that runs beside it. It lives by the clock of the server that started it, and ends with that.
 */
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { type Json, record } from '~/core/objects'
import { agentAccount } from '~/core/reach'
import { ClusterServers } from '../cluster-api/servers'
import { duty } from '../cluster-api/sign-in'
import { writeTo } from '../cluster-api/write'
import { partnerScenario } from '../connectors/standin/demo'
import { ApiClient, headersFor } from '../connectors/open-api/client'
import { Dialled } from '../connectors/open-api/dial'
import { inThisThread } from '../connectors/standin/engine-link'
import { Outside } from '../connectors/standin/outside'
import { Vault } from '../keys/vault'
import { Hub } from '../live/hub'
import { defineAll } from '../records/all'
import { openDatabase } from '../records/database'
import { recordMigrations } from '../records/migrations'
import { agentToken, applied } from './admit'
import { PartnerAgents } from './agents'
import type { FromPartner, PartnerStart, ToPartner } from './protocol'

/** How long whoever runs the cluster is signed in there: for as long as its process may live. */
const tokenSeconds = 10 * 365 * 86_400

const tell = (message: FromPartner): void => void process.send?.(message)

async function open({ dir, agent }: PartnerStart): Promise<{
  readonly agents: PartnerAgents
  readonly outside: Outside
}> {
  mkdirSync(dir, { recursive: true, mode: 0o700 })
  const scenario = partnerScenario()
  const outside = await Outside.open({
    dir,
    link: inThisThread(),
    scenario,
    nodes: 0,
    notBefore: 0,
  })
  const database = await openDatabase(join(dir, 'records.sqlite'), recordMigrations, defineAll)
  const vault = new Vault(dir, join(dir, 'key'))
  const hub = new Hub(Date.now())
  outside.connect({
    ended: () => undefined,
    evidence: () => undefined,
    changed: (slices) => void hub.emit('state', slices),
  })
  const [{ name } = { name: '' }] = scenario.clusters
  const seen = async () => {
    const { release = '', apiAnswers = false } = (await outside.cluster(name)) ?? {}
    return { name, release, apiAnswers }
  }
  const servers = new ClusterServers({
    database,
    vault,
    hub,
    outside,
    clusters: async () => [await seen()],
    namesOf: () => Promise.resolve([name]),
    write: (cluster, request, mirror) => writeTo({ cluster, outside, mirror }, request),
    onError: failed,
  })
  await servers.listen()
  const { server, authority, token } = await servers.handOut(
    await seen(),
    { subject: duty, groups: [] },
    tokenSeconds,
  )
  const tokenFile = join(dir, 'token')
  const authorityFile = join(dir, 'ca.crt')
  writeFileSync(authorityFile, authority)
  const signIn = { kind: 'token', token: token ?? '' } as const
  const way = { context: name, others: [], server, authority, signIn }
  const client = new ApiClient(
    new Dialled({ ...way, isUnverified: false, serverName: null, hasProxy: false }),
    headersFor(signIn),
  )
  const admit = async (manifest: string): Promise<void> => {
    await applied(client, manifest)
    writeFileSync(tokenFile, await agentToken(client), { mode: 0o600 })
  }
  const beside = { url: server, tokenFile, authorityFile, admit }
  const agents = new PartnerAgents(dir, agent, beside, {
    ended: (gone) => tell({ type: 'ended', name: gone }),
    failed,
  })
  /** Agents live as their pods do; the pods are those of their namespace, which holds nothing else. */
  const look = async (): Promise<void> => {
    const { namespace } = agentAccount
    const pods = await outside.objects(name, { kind: 'Pod', namespace })
    const isRunning = (pod: Json): boolean => record(pod['status'])['phase'] === 'Running'
    if (pods) agents.podRuns(pods.some(isRunning))
  }
  hub.on('state', () => void look().catch(failed))
  await look()
  return { agents, outside }
}

function failed(error: unknown): void {
  tell({ type: 'failed', error: error instanceof Error ? (error.stack ?? '') : String(error) })
}

const start = JSON.parse(process.argv[2] ?? '{}') as PartnerStart
process.umask(0o077)
const { agents, outside } = await open(start)

/** One step of the clock after the other. */
let stepping: Promise<void> = Promise.resolve()
process.on('message', (message: ToPartner) => {
  if (message.type === 'agent') agents.start(message.name, message)
  else
    stepping = stepping
      .then(async () => {
        if (message.now > outside.now) await outside.advance((message.now - outside.now) / 1000)
      })
      .catch(failed)
})

function end(): void {
  agents.close()
  void stepping
    .then(() => outside.close())
    .catch(failed)
    .finally(() => process.exit(0))
}
process.once('disconnect', end).once('SIGTERM', end)
// Whoever ends the server at its terminal ends this with it, in that order.
process.on('SIGINT', () => undefined)

agents.resume()
