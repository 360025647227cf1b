/** Fills empty records with what Gyrarch knows at the start of the demo: register, catalogue, ledger, keys. */
import { randomBytes } from 'node:crypto'
import type { CredentialSite } from '../keys/credentials'
import { fingerprintOf, type Vault } from '../keys/vault'
import { readPublicKey } from '../keys/ssh-key'
import type { Database } from '../records/database'
import {
  ClusterRow,
  ContactRow,
  CredentialRow,
  KeyRow,
  LayerFileRow,
  LedgerRow,
  LoadingRow,
  ReleaseRow,
  TemplateRow,
  WindowRow,
} from '../records/models'
import { demoClusters, demoScenario } from '../connectors/standin/demo'
import { demoCatalogue, demoRecords, demoTemplates, demoLayers } from './scenario'

/** What a first start does after the records are filled, each gone on with at the next start if it was cut off. */
export type LeftToLoad = 'world' | 'credentials'

export const isLeft = async (what: LeftToLoad): Promise<boolean> =>
  (await LoadingRow.findByPk(what)) !== null

export const loaded = (database: Database, what: LeftToLoad): Promise<unknown> =>
  database.write((transaction) => LoadingRow.destroy({ where: { what }, transaction }))

/** Fills records that hold no release; others are left alone. */
export async function loadDemo(database: Database, nodes: number): Promise<void> {
  if ((await ReleaseRow.count()) > 0) return
  const { image, releases } = demoCatalogue()
  const { ledger, sshKeys, contacts, windows } = demoRecords()
  const clusters = demoClusters(demoScenario(), nodes)
  await database.write(async (transaction) => {
    await LoadingRow.bulkCreate(
      (['world', 'credentials'] satisfies LeftToLoad[]).map((what) => ({ what })),
      { transaction },
    )
    await ReleaseRow.bulkCreate(
      releases.map((release) => ({
        ...release,
        baseImage: image.name,
        minimumRootDiskGb: image.minimumRootDiskGb,
      })),
      { transaction },
    )
    await LedgerRow.bulkCreate(ledger, { transaction })
    await ContactRow.bulkCreate(contacts, { transaction })
    await WindowRow.bulkCreate(windows, { transaction })
    await TemplateRow.bulkCreate(
      demoTemplates().map((template) => ({ ...template, shipped: true })),
      { transaction },
    )
    await KeyRow.bulkCreate(
      sshKeys.map(({ name, line }) => {
        const read = readPublicKey(line)
        return {
          name,
          line: read.ok ? read.key.line : null,
          fingerprint: read.ok ? read.key.fingerprint : null,
        }
      }),
      { transaction },
    )
    await LayerFileRow.bulkCreate([{ name: 'seed-desk', text: demoLayers }], { transaction })
    await ClusterRow.bulkCreate(
      clusters.map((cluster) => ({
        name: cluster.name,
        site: cluster.site,
        guarded: cluster.guarded,
        release: cluster.release,
        controlPlane:
          cluster.controlPlane.kind === 'own'
            ? { kind: 'own' as const, count: cluster.controlPlane.count }
            : cluster.controlPlane,
        pools: [
          ...(cluster.controlPlane.kind === 'own'
            ? [
                {
                  name: 'control-plane',
                  size: cluster.controlPlane.size,
                  lifetime: 'on-demand' as const,
                  range: null,
                  taints: [],
                },
              ]
            : []),
          ...cluster.pools.map((pool) => ({
            name: pool.name,
            size: pool.size,
            lifetime: pool.lifetime,
            range: pool.range ?? null,
            taints: pool.taints,
          })),
        ],
        labels: {},
        drives: cluster.drives,
        pods: cluster.pods,
        services: cluster.services,
        maxPodsPerNode: 110,
        endpoint: null,
        ...(cluster.rest ? { rest: cluster.rest, restDoneAt: demoScenario().start } : {}),
      })),
      { transaction },
    )
  })
}

/** Credentials for the demo’s clouds: made here, told to the stand-ins, asked for, as a person would have entered them. */
export async function loadDemoCredentials(
  database: Database,
  vault: Vault,
  outside: CredentialSite,
): Promise<void> {
  const rows = await Promise.all(
    demoRecords().credentials.map(async ({ site, name, until }) => {
      const secret = randomBytes(24).toString('base64url')
      const fingerprint = fingerprintOf(secret)
      await outside.enterCredential(site, fingerprint, Date.parse(until))
      const { good, says } = await outside.checkCredential(site, fingerprint)
      return {
        site,
        name,
        sealed: vault.seal(secret, `${site}/${name}`),
        fingerprint,
        until: new Date(until).toISOString(),
        checkedAt: new Date(outside.now).toISOString(),
        checkedSays: says,
        checkedGood: good,
      }
    }),
  )
  await database.write(async (transaction) => {
    await CredentialRow.bulkCreate(rows, { transaction })
    await LoadingRow.destroy({ where: { what: 'credentials' satisfies LeftToLoad }, transaction })
  })
}
