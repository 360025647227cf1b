/**
 * The packing desk as a connector: drives are written here and waited for. Its verbs find what is done already, so one whose
 * outcome is unknown is simply repeated.
 */
import {
  type ArgsOf,
  type Connector,
  type ConnectorClock,
  type ConnectorListener,
  type DefinitionOf,
  type Ended,
  type Failure,
  type Origin,
  type Outcome,
  quoted,
  readCommand,
  ref,
  type Said,
  saidOf,
  type VerbName,
} from '~/core/contract'
import {
  closeRepositories,
  endCredential,
  openCredential,
  reopenCredential,
} from '../registries/grants'
import { said } from './says'
import type { Shipments } from './shipments'
import { signImage, type TagDone, tagImage, unsignImage, untagImage } from './tags'

type DeskVerb = {
  [Name in VerbName]: DefinitionOf<Name>['port'] extends 'desk' ? Name : never
}[VerbName]

type Answer =
  | { readonly told: Said; readonly result: Readonly<Record<string, unknown>> }
  | { readonly failure: Failure }
  /** It waits for a call. */
  | null

type Work<Args> = { of(shipments: Shipments, args: Args, origin: Origin): Promise<Answer> }['of']

const failed = (
  reason: string,
  told: Said,
  about: string,
  kind: Failure['class'] = 'permanent',
): Answer => ({
  failure: { class: kind, reason, ...told, chain: [{ about, ...told }] },
})

async function writeDrive(
  shipments: Shipments,
  { shipment, drive }: ArgsOf<'drive.write'>,
): Promise<Answer> {
  try {
    const written = await shipments.write(shipment, drive)
    if (!written)
      return failed('no-shipment', said('shipment.none', { shipment }), ref('shipment', shipment))
    const { blobs, bytes } = written
    return { told: said('drive.written', { drive, blobs, bytes }), result: written }
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    const about = ref('drive', shipment, String(drive))
    if (code !== undefined)
      return failed('no-room', said('no-room', { says: code }), about, 'transient')
    const [digest] = /sha256:[0-9a-f]{64}/.exec(message) ?? []
    if (digest === undefined) throw error
    return failed('blob-differs', said('blob.differs', { digest }), about)
  }
}

async function awaitDrive(
  shipments: Shipments,
  { shipment, drive }: ArgsOf<'drive.await'>,
  { change }: Origin,
): Promise<Answer> {
  const expected = await shipments.intake.expect(shipment, drive, change)
  if (!expected)
    return failed('no-shipment', said('shipment.none', { shipment }), ref('shipment', shipment))
  return expected.isThere
    ? {
        told: said('drive.taken', { drive, taken: 0, already: expected.blobs }),
        result: { taken: expected.blobs },
      }
    : null
}

async function enterImages(
  shipments: Shipments,
  { shipment, site }: ArgsOf<'images.enter'>,
): Promise<Answer> {
  const entered = await shipments.enter(shipment, site)
  if (!entered.ok) return failed(entered.reason, entered.failure, ref('registry', site))
  const { images, signed, registry } = entered
  return { told: said('images.entered', { images, signed, registry }), result: { images, signed } }
}

async function sendStraight(shipments: Shipments, of: ArgsOf<'blobs.send'>): Promise<Answer> {
  const done = await shipments.send(of)
  if ('sent' in done)
    return { told: said('blobs.sent', { site: of.site, ...done }), result: { ...done } }
  const about = ref('registry', of.site)
  if ('differs' in done)
    return failed('blob-differs', said('blob.differs', { digest: done.differs }), about)
  return done.lacks === 'shipment'
    ? failed('no-shipment', said('shipment.none', of), ref('shipment', of.shipment))
    : failed('no-registry', said('registry.none', of), about)
}

const answered = (done: TagDone, of: { readonly registry: string }): Answer =>
  'failure' in done ? failed(done.reason, done.failure, ref('registry', of.registry)) : done

const noRegistry = ({ registry }: { readonly registry: string }): Answer =>
  failed('no-registry', said('registry.unnamed', { registry }), ref('registry', registry))

const namesOf = (accounts: readonly { readonly name: string }[]): readonly string[] =>
  accounts.map(({ name }) => name)

const works: { readonly [Name in DeskVerb]: Work<ArgsOf<Name>> } = {
  'drive.write': writeDrive,
  'drive.erase': async (shipments, { shipment, drive }) => {
    await shipments.erase(shipment, drive)
    return { told: said('drive.erased', { drive }), result: {} }
  },
  'drive.await': awaitDrive,
  'drive.forget': (shipments, { shipment, drive }) => {
    shipments.intake.forget(shipment, drive)
    return Promise.resolve({ told: said('drive.forgotten'), result: {} })
  },
  'image.sign': async (shipments, of) => answered(await signImage(shipments.registries, of), of),
  'image.unsign': async (shipments, of) =>
    answered(await unsignImage(shipments.registries, of), of),
  'image.untag': async (shipments, of) => answered(await untagImage(shipments.registries, of), of),
  'image.tag': async (shipments, of) => answered(await tagImage(shipments.registries, of), of),
  'blobs.send': sendStraight,
  'images.enter': enterImages,
  'repositories.close': async ({ registries }, of) =>
    (await closeRepositories(registries, of))
      ? { told: said(of.closed ? 'repositories.closed' : 'repositories.opened', of), result: {} }
      : noRegistry(of),
  'credential.open': async ({ registries }, of) => {
    const until = await openCredential(registries, of)
    return until === null
      ? noRegistry(of)
      : { told: said('credential.opened', { ...of, until }), result: { until } }
  },
  'credential.end': async ({ registries }, of) => {
    const ended = await endCredential(registries, of)
    return ended === null
      ? noRegistry(of)
      : { told: said('credential.ended', { name: of.name, rounds: of.rounds }), result: { ended } }
  },
  'credential.reopen': async ({ registries }, of) =>
    (await reopenCredential(registries, of))
      ? { told: said('credential.reopened', { names: namesOf(of.accounts) }), result: {} }
      : noRegistry(of),
  'images.withdraw': async (shipments, { shipment, site }) => ({
    told: said('images.withdrawn', await shipments.withdraw(shipment, site)),
    result: {},
  }),
}

const byVerb: ReadonlyMap<string, Work<Readonly<Record<string, unknown>>>> = new Map(
  Object.entries(works),
)

export class Desk implements Connector {
  readonly name = 'packing desk'
  private listener: ConnectorListener | null = null
  private shipments: Shipments | null = null

  constructor(readonly clock: ConnectorClock) {}

  /** From here on it has somebody to write drives and to take them in. */
  open(shipments: Shipments): void {
    this.shipments = shipments
  }

  connect(listener: ConnectorListener): void {
    this.listener = listener
  }

  async issue(
    key: string,
    verb: string,
    args: Readonly<Record<string, unknown>>,
    origin: Origin,
  ): Promise<void> {
    const read = readCommand(verb, args)
    const work = byVerb.get(verb)
    const answer =
      read.ok && work && this.shipments
        ? await work(this.shipments, read.args, origin)
        : failed(
            read.ok ? 'unknown-verb' : read.reason,
            read.ok ? said('verb.unknown', { verb }) : quoted(read.reason, read.says),
            ref('desk'),
          )
    if (!answer) return
    const at = this.clock.now
    const outcome: Ended =
      'failure' in answer
        ? { known: true, ended: true, at, result: null, failure: answer.failure, evidence: [] }
        : {
            known: true,
            ended: true,
            at,
            result: answer.result,
            failure: null,
            evidence: [{ at, ...saidOf(answer.told) }],
          }
    this.listener?.ended(key, outcome)
  }

  /** Nothing is kept by key: repeating a verb finds what it did. */
  async lookup(): Promise<Outcome> {
    return { known: false }
  }
}
