/**
 * A small connector that lives by the wall clock: one site whose machines are kept in memory. It is what the contract
 * suite runs on beside the stand-ins, so that nothing above a port comes to rely on simulated time.
 */
import {
  type ArgsOf,
  type Connector,
  type ConnectorListener,
  type Ended,
  type MachineReport,
  type Outcome,
  readCommand,
  readReport,
  type SiteReport,
  siteReport,
  quoted,
} from '~/core/contract'

const workMs = 5

type Work = (args: Readonly<Record<string, unknown>>) => Pick<Ended, 'result' | 'failure'> & {
  readonly says: string
}

export class WallClockConnector implements Connector {
  readonly name = 'wall clock'
  readonly clock = {
    get now(): number {
      return Date.now()
    },
  }
  private readonly machines = new Map<string, MachineReport>()
  private readonly outcomes = new Map<string, Outcome>()
  private listener: ConnectorListener | null = null

  constructor(private readonly siteName: string) {}

  private readonly works: Readonly<Record<string, Work>> = {
    'machine.create': (args) => this.create(args as ArgsOf<'machine.create'>),
    'machine.delete': (args) => this.remove(args as ArgsOf<'machine.delete'>),
  }

  connect(listener: ConnectorListener): void {
    this.listener = listener
  }

  async issue(key: string, verb: string, args: Readonly<Record<string, unknown>>): Promise<void> {
    const earlier = this.outcomes.get(key)
    if (earlier) {
      if (earlier.known && earlier.ended) this.listener?.ended(key, earlier)
      return
    }
    this.outcomes.set(key, { known: true, ended: false, evidence: [] })
    const read = readCommand(verb, args)
    const work = read.ok ? this.works[verb] : undefined
    const carryOut = (): void => {
      const at = this.clock.now
      const done = read.ok && work ? work(read.args) : refuse(verb, read)
      const { result, failure, says } = done
      const outcome: Ended = {
        known: true,
        ended: true,
        at,
        result,
        failure,
        evidence: [{ at, ...quoted('told', says) }],
      }
      this.outcomes.set(key, outcome)
      this.listener?.evidence(key, outcome.evidence)
      if (!failure) this.listener?.changed([`site:${this.siteName}`])
      this.listener?.ended(key, outcome)
    }
    setTimeout(carryOut, workMs)
  }

  async lookup(key: string): Promise<Outcome> {
    return this.outcomes.get(key) ?? { known: false }
  }

  async site(name: string): Promise<SiteReport | null> {
    if (name !== this.siteName) return null
    return readReport(siteReport, {
      name,
      title: name,
      kind: 'cloud',
      arch: 'amd64',
      domain: 'fernhollow',
      connected: true,
      zones: ['east-1'],
      overcommit: 1,
      reservePerZone: 0,
      quotaCores: null,
      quotaBalancers: null,
      quotaAddresses: null,
      networks: [],
      routes: [],
      nameServers: [],
      timeServers: [],
      nameDomain: '',
      records: [],
      storageClasses: [],
      bootData: { limitBytes: null, base64: false },
      published: [],
      balancers: [],
      sizes: [],
      images: [],
      hosts: [],
      boxes: [],
      machines: [...this.machines.values()],
      addresses: [],
      disks: [],
      managedTiers: [],
      controlPlanes: [],
      prices: { diskGbMonth: 0, kwh: 0, hostMonth: 0, spotShare: 1, balancerHour: 0 },
    })
  }

  private create(args: ArgsOf<'machine.create'>): ReturnType<Work> {
    if (this.machines.has(args.name)) {
      const says = `${this.siteName} has a machine ${args.name} already.`
      const about = `machine/${this.siteName}/${args.name}`
      const chain = [{ about, ...quoted('exists', 'exists') }]
      const failure = {
        class: 'permanent',
        reason: 'name-taken',
        ...quoted('name-taken', says),
        chain,
      } as const
      return { result: null, failure, says }
    }
    const { name, zone, size, cluster, lifetime, apart } = args
    this.machines.set(name, {
      name,
      zone,
      host: null,
      size,
      cores: 4,
      memoryBytes: 16 * 2 ** 30,
      diskGb: args.rootDiskGb,
      lifetime,
      power: 'off',
      address: null,
      cluster,
      apart,
    })
    return {
      result: { machine: name, host: null, zone },
      failure: null,
      says: `created in ${zone}`,
    }
  }

  private remove({ name }: ArgsOf<'machine.delete'>): ReturnType<Work> {
    this.machines.delete(name)
    return { result: {}, failure: null, says: 'deleted' }
  }
}

function refuse(verb: string, read: ReturnType<typeof readCommand>): ReturnType<Work> {
  const reason = read.ok ? 'unknown-verb' : read.reason
  const says = read.ok ? `There is no command ${verb} here.` : read.says
  return {
    result: null,
    failure: { class: 'permanent', reason, ...quoted(reason, says), chain: [] },
    says,
  }
}
