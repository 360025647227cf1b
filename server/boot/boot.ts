/** Boot data of a draft or a run: looked at with secrets masked, downloaded with them, one by one, together, or as a volume. */
import { tarOf } from '../tar'
import { type BootOf, bootDataOf, planned, raiseIntent, seedVolume } from '~/core/provisioning'
import type { Changes } from '../changes/changes'
import { Refusal } from '../changes/errors'
import type { Fleet } from '../fleet/fleet'
import type { Vault } from '../keys/vault'
import { withoutChange } from '~/core/changes'

export const bootFileNames = [
  'user-data',
  'meta-data',
  'network-config',
  'full-user-data',
  'seed.iso',
] as const
export type BootFileName = (typeof bootFileNames)[number]

export interface BootView {
  readonly machine: string
  readonly node: string
  readonly handed: 'inline' | 'pointer'
  readonly bytes: number
  readonly fullBytes: number
  readonly limitBytes: number | null
  readonly base64: boolean
  readonly digest: string
  readonly url: string
  readonly arch: string
  readonly userData: string
  readonly fullUserData: string
  readonly metaData: string
  readonly networkConfig: string
}

export interface BootParts {
  readonly changes: Changes
  readonly fleet: Fleet
  readonly vault: Vault
  readonly now: () => number
}

export class Boot {
  constructor(private readonly parts: BootParts) {}

  /** `shown` puts the real tokens in: only for what is downloaded. */
  private async of(
    id: string,
    shown: boolean,
  ): Promise<{
    readonly all: readonly BootOf[]
    readonly limitBytes: number | null
    readonly base64: boolean
    readonly arch: string
  }> {
    const record = await this.parts.changes.get(id)
    const read = raiseIntent.safeParse(record.intent)
    if (record.kind !== 'cluster.raise' || !read.success)
      throw new Refusal('conflict', `${id} raises no cluster: it has no boot data.`)
    const view = await this.parts.fleet.view()
    // A run has taken addresses already; its boot data is that of the draft it began as.
    const context = planned(
      read.data,
      record.plan && record.state !== 'draft'
        ? withoutChange(view, record.plan, id.slice(2))
        : view,
    )
    if (!context.site)
      throw new Refusal(
        'conflict',
        `There is no site ${read.data.site}: its machines’ boot data cannot be made.`,
      )
    const all = bootDataOf(
      context,
      shown ? (node) => this.parts.vault.token(`boot/${id}/${node}`) : undefined,
    )
    return { all, ...context.site.bootData, arch: context.site.arch }
  }

  async views(id: string): Promise<readonly BootView[]> {
    const { all, limitBytes, base64, arch } = await this.of(id, false)
    return all.map((boot) => ({
      machine: boot.machine,
      node: boot.node,
      handed: boot.handed.handed,
      bytes: boot.handed.bytes,
      fullBytes: boot.handed.fullBytes,
      limitBytes,
      base64,
      digest: boot.handed.digest,
      url: boot.url,
      arch,
      userData: boot.handed.userData,
      fullUserData: boot.files.userData,
      metaData: boot.files.metaData,
      networkConfig: boot.files.networkConfig,
    }))
  }

  async file(
    id: string,
    machine: string,
    name: string,
  ): Promise<{ readonly type: string; readonly body: Buffer; readonly fileName: string }> {
    const { all, base64 } = await this.of(id, true)
    const boot = all.find((bootOf) => bootOf.machine === machine)
    if (!boot) throw new Refusal('not-found', `${id} boots no machine ${machine.slice(0, 80)}.`)
    const text = (body: string, type = 'text/plain') => ({
      type,
      body: Buffer.from(body),
      fileName: `${machine}-${name}`,
    })
    switch (name as BootFileName) {
      case 'user-data':
        // As the machine’s property wants it.
        return text(
          base64 ? Buffer.from(boot.handed.userData).toString('base64') : boot.handed.userData,
        )
      case 'full-user-data':
        return text(boot.files.userData)
      case 'meta-data':
        return text(boot.files.metaData)
      case 'network-config':
        return text(boot.files.networkConfig)
      case 'seed.iso':
        return {
          type: 'application/x-iso9660-image',
          body: Buffer.from(this.volume(boot)),
          fileName: `${machine}-seed.iso`,
        }
      default:
        throw new Refusal(
          'not-found',
          `There is no boot file ${name.slice(0, 40)}. Known: ${bootFileNames.join(', ')}.`,
        )
    }
  }

  /** All machines’ files in one archive, a folder each. */
  async tar(id: string): Promise<Buffer> {
    const { all } = await this.of(id, true)
    const files = all.flatMap((boot) =>
      Object.entries({
        'user-data': boot.handed.userData,
        ...(boot.handed.handed === 'pointer' ? { 'full-user-data': boot.files.userData } : {}),
        'meta-data': boot.files.metaData,
        'network-config': boot.files.networkConfig,
      }).map(([name, body]) => ({ name: `${boot.machine}/${name}`, body })),
    )
    return tarOf(files, { mtime: new Date(this.parts.now()), mode: 0o600 })
  }

  /** What a stick holds: the whole files, since there is no field that they must fit into. */
  private volume(boot: BootOf): Uint8Array {
    const bytes = (text: string): Uint8Array => new TextEncoder().encode(text)
    return seedVolume(
      [
        { name: 'user-data', body: bytes(boot.files.userData) },
        { name: 'meta-data', body: bytes(boot.files.metaData) },
        { name: 'network-config', body: bytes(boot.files.networkConfig) },
      ],
      'CIDATA',
      new Date(this.parts.now()),
    )
  }
}
