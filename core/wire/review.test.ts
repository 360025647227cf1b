import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { firewallRuleSchema, reviewFirewall, type FirewallRule, type Review } from '.'

const rule = (name: string, more: Partial<FirewallRule> = {}): FirewallRule =>
  firewallRuleSchema.parse({ name, priority: 100, direction: 'in', action: 'allow', ...more })
function review(...rules: readonly FirewallRule[]): Review {
  const read = reviewFirewall(rules)
  if (!read.ok) throw new Error(`${read.path}: ${read.says}`)
  return read.review
}

describe('a firewall’s review', () => {
  it('finds a rule that earlier ones cover together, and no single one', () => {
    const reviewed = review(
      rule('low', { to: ['10.0.0.0/25'] }),
      rule('high', { to: ['10.0.0.128/25'] }),
      rule('both', { to: ['10.0.0.0/24'], priority: 200 }),
    )
    expect(reviewed.unreachable).toEqual([{ rule: 'both', by: ['low', 'high'], opposite: false }])
  })
  it('tells whether what covers it does the opposite', () => {
    expect(
      review(rule('deny', { action: 'deny' }), rule('allow', { priority: 200 })).unreachable[0]
        ?.opposite,
    ).toBe(true)
    expect(
      review(
        rule('deny', { action: 'deny', ports: ['0-100'] }),
        rule('same', { ports: ['101-65535'] }),
        rule('allow', { priority: 200 }),
      ).unreachable[0]?.opposite,
    ).toBe('partly')
  })
  it('goes by priority before place, and leaves the other direction alone', () => {
    expect(
      review(rule('late', { priority: 200 }), rule('early', { priority: 1 })).unreachable,
    ).toEqual([{ rule: 'late', by: ['early'], opposite: false }])
    expect(
      review(rule('in'), rule('out', { direction: 'out', priority: 200 })).unreachable,
    ).toEqual([])
  })
  it('calls redundant what later rules of the same action repeat, not what falls to a default', () => {
    expect(
      review(
        rule('narrow', { to: ['10.0.0.1'] }),
        rule('wide', { to: ['10.0.0.0/8'], priority: 200 }),
      ).redundant,
    ).toEqual([{ rule: 'narrow', by: ['wide'] }])
    expect(
      review(
        rule('narrow', { to: ['10.0.0.1'] }),
        rule('stop', { action: 'deny', to: ['10.0.0.1'], ports: ['80'], priority: 150 }),
        rule('wide', { to: ['10.0.0.0/8'], priority: 200 }),
      ).redundant,
    ).toEqual([])
    expect(review(rule('alone')).redundant).toEqual([])
  })
  it('lists what is off apart, and takes nothing from it', () => {
    expect(review(rule('off', { enabled: false }), rule('on', { priority: 200 }))).toEqual({
      unreachable: [],
      redundant: [],
      disabled: ['off'],
      undecided: [],
    })
  })
  it('knows that any is not SCTP, and that both ends of a packet are of one family', () => {
    expect(
      review(rule('any'), rule('sctp', { protocol: 'sctp', priority: 200 })).unreachable,
    ).toEqual([])
    expect(
      review(rule('four', { from: ['0.0.0.0/0'] }), rule('all', { priority: 200 })).unreachable,
    ).toEqual([])
    expect(
      review(
        rule('four', { from: ['0.0.0.0/0'] }),
        rule('six', { from: ['::/0'] }),
        rule('all', { priority: 200 }),
      ).unreachable,
    ).toEqual([{ rule: 'all', by: ['four', 'six'], opposite: false }])
  })
  it('names wrong input by its field', () => {
    const wrong = (more: Partial<FirewallRule>) => {
      const read = reviewFirewall([rule('x', more)])
      return read.ok ? null : read.path
    }
    expect([
      wrong({ ports: ['90-80'] }),
      wrong({ ports: [] }),
      wrong({ from: [] }),
      wrong({ to: ['10.0.0.1/8'] }),
      wrong({ members: ['x'] }),
    ]).toEqual([
      'rules[0].ports[0]',
      'rules[0].ports',
      'rules[0].from',
      'rules[0].to[0]',
      'rules[0].members[0]',
    ])
  })
  it('agrees with asking every packet of a small world', () => {
    // Four addresses, two protocols, three ports and two members: 4 × 4 × 2 × 3 × 2 packets stand for all there are.
    const range = fc.constantFrom(
      '10.0.0.0/30',
      '10.0.0.0/31',
      '10.0.0.2/31',
      '10.0.0.1',
      '10.0.0.1-10.0.0.2',
      '10.0.0.3',
    )
    const made = fc.record({
      from: fc.array(range, { minLength: 1, maxLength: 2 }),
      to: fc.array(range, { minLength: 1, maxLength: 2 }),
      protocol: fc.constantFrom<'tcp' | 'udp' | 'any'>('tcp', 'udp', 'any', 'any'),
      ports: fc.constantFrom(['0-1'], ['1'], ['0', '2'], ['0-2']),
      members: fc.constantFrom<string[] | undefined>(undefined, undefined, ['10.9.0.1']),
      action: fc.constantFrom<'allow' | 'deny'>('allow', 'deny'),
      priority: fc.constantFrom(1, 2, 3),
      enabled: fc.constantFrom(true, true, true, false),
    })
    const number = (ip: string): number => Number(ip.split('.')[3])
    const within = (texts: readonly string[], at: number): boolean =>
      texts.some((text) => {
        if (text.includes('/')) {
          const [base = '', length = ''] = text.split('/')
          return at >= number(base) && at < number(base) + 2 ** (32 - Number(length))
        }
        const [first = '', last = first] = text.split('-')
        return at >= number(first) && at <= number(last)
      })
    fc.assert(
      fc.property(fc.array(made, { minLength: 1, maxLength: 7 }), (given) => {
        const rules = given.map(({ members, ...one }, i) =>
          rule(`r${i}`, { ...one, ports: [...one.ports], ...(members ? { members } : {}) }),
        )
        const order = rules
          .map((eachRule, i) => ({ rule: eachRule, i }))
          .filter(({ rule }) => rule.enabled !== false)
          .sort((a, b) => a.rule.priority - b.rule.priority || a.i - b.i)
          .map((entry) => entry.rule)
        const packets: {
          readonly a: number
          readonly b: number
          readonly protocol: string
          readonly port: number
          readonly member: number
        }[] = []
        for (const a of [0, 1, 2, 3])
          for (const b of [0, 1, 2, 3])
            for (const protocol of ['tcp', 'udp'])
              for (const port of [0, 1, 2])
                for (const member of [0, 1]) packets.push({ a, b, protocol, port, member })
        const meets = (entry: FirewallRule, packet: (typeof packets)[number]): boolean =>
          within(entry.from ?? [], packet.a) &&
          within(entry.to ?? [], packet.b) &&
          (entry.protocol === 'any' || entry.protocol === packet.protocol) &&
          (entry.ports ?? []).some((text) => {
            const [first = '', last = first] = text.split('-')
            return packet.port >= Number(first) && packet.port <= Number(last)
          }) &&
          (!entry.members || packet.member === 1)
        const decided = (without: FirewallRule | null): readonly (FirewallRule | undefined)[] =>
          packets.map((packet) => order.find((entry) => entry !== without && meets(entry, packet)))
        const normal = decided(null)
        const reviewed = review(...rules)
        for (const entry of order) {
          const met = packets
            .map((packet, i) => ({ packet, i }))
            .filter(({ packet }) => meets(entry, packet))
          const own = met.filter(({ i }) => normal[i] === entry)
          const others = [...new Set(met.map(({ i }) => normal[i]))].filter(
            (candidate): candidate is FirewallRule =>
              candidate !== undefined && candidate !== entry,
          )
          const unreachable = reviewed.unreachable.find(
            (candidate) => candidate.rule === entry.name,
          )
          expect(unreachable !== undefined).toBe(own.length === 0)
          if (unreachable) {
            expect([...unreachable.by].sort()).toEqual(
              others.map((candidate) => candidate.name).sort(),
            )
            const opposed = others.filter((candidate) => candidate.action !== entry.action).length
            const isWhole = opposed === 0 || opposed === others.length
            expect(unreachable.opposite).toBe(isWhole ? opposed > 0 : 'partly')
            continue
          }
          const then = decided(entry)
          const repeats = own.every(({ i }) => then[i]?.action === entry.action)
          const redundant = reviewed.redundant.find((candidate) => candidate.rule === entry.name)
          expect(redundant !== undefined, entry.name).toBe(repeats)
          if (redundant)
            expect([...redundant.by].sort()).toEqual(
              [...new Set(own.map(({ i }) => then[i]?.name))].sort(),
            )
        }
      }),
      { numRuns: 600, seed: 9 },
    )
  })
})
