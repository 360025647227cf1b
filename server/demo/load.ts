/** Fills empty records with what Gyrarch knows at the start of the demo: register, catalogue, ledger, keys. */
import { randomBytes } from 'node:crypto'
import type { Credentials } from '../keys/credentials'
import { readPublicKey } from '../keys/ssh-key'
import type { Database } from '../records/database'
import { ClusterRow, KeyRow, LedgerRow, ReleaseRow } from '../records/models'
import { demoClusters, demoScenario } from '../ports/standin/demo'
import type { Templates } from '../templates/templates'
import { demoCatalogue, demoRecords, demoTemplates } from './scenario'

/** True if it loaded anything: records that hold a release are left alone. */
export async function loadDemo(database: Database, nodes: number): Promise<boolean> {
  if ((await ReleaseRow.count()) > 0) return false
  const { image, releases } = demoCatalogue()
  const { ledger, sshKeys } = demoRecords()
  const clusters = demoClusters(demoScenario(), nodes)
  await database.write(async (transaction) => {
    await ReleaseRow.bulkCreate(releases.map((release) => ({ ...release, baseImage: image.name, minimumRootDiskGb: image.minimumRootDiskGb })), { transaction })
    await LedgerRow.bulkCreate(ledger, { transaction })
    await KeyRow.bulkCreate(sshKeys.map(({ name, line }) => {
      const read = readPublicKey(line)
      return { name, line: read.ok ? read.key.line : null, fingerprint: read.ok ? read.key.fingerprint : null }
    }), { transaction })
    await ClusterRow.bulkCreate(
      clusters.map((cluster) => ({
        name: cluster.name,
        site: cluster.site,
        guarded: cluster.guarded,
        release: cluster.release,
        controlPlane: cluster.controlPlane.kind === 'own' ? { kind: 'own' as const, count: cluster.controlPlane.count } : cluster.controlPlane,
        pools: [
          ...(cluster.controlPlane.kind === 'own' ? [{ name: 'control-plane', size: cluster.controlPlane.size, lifetime: 'on-demand' as const, range: null, taints: [] }] : []),
          ...cluster.pools.map((pool) => ({ name: pool.name, size: pool.size, lifetime: pool.lifetime, range: pool.range ?? null, taints: pool.taints })),
        ],
        labels: {},
        drives: cluster.drives,
        pods: cluster.pods,
        services: cluster.services,
        maxPodsPerNode: 110,
        endpoint: null,
      })),
      { transaction },
    )
  })
  return true
}

/** Credentials for the demo’s clouds: made here, known to the stand-ins, as a person would have entered them. */
export async function loadDemoCredentials(credentials: Credentials): Promise<void> {
  for (const { site, name, until } of demoRecords().credentials) await credentials.enter({ site, name, until, secret: randomBytes(24).toString('base64url') })
}

export async function loadDemoTemplates(templates: Templates): Promise<void> {
  for (const template of demoTemplates()) await templates.keep(template, true)
}
