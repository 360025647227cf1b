import fc from 'fast-check'
import { execFileSync, spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it } from 'vitest'
import { nextSerial, readZone, resolve, serialNewer, writeZone } from '.'

const domain = 'fernhollow.example'
const read = (text: string) => readZone(text, domain)
const says = (text: string) =>
  read(text).problems.map((problem) => `${problem.line}: ${problem.says}`)

const good = `; the zone of the co-operative
$TTL 1h
@  IN SOA ns hostmaster ( 2026030201 ; serial
      7200 3600 1209600 300 )
   IN NS ns
ns      A 10.20.0.2
api.cedar 300 IN A 10.20.0.20
        AAAA fd00::20
desk    CNAME api.cedar
_ledger._tcp SRV 10 5 5432 api.cedar
*.market A 10.20.40.33
note    TXT "keep; this" "and this"
@       MX 10 mail.fernhollow.example.
`

describe('a zone file', () => {
  it('is read with names taken over, parentheses, comments, times and relative targets', () => {
    const { records, problems } = read(good)
    expect(problems).toEqual([])
    expect(records).toEqual([
      {
        name: '@',
        type: 'SOA',
        ttl: 3600,
        value:
          'ns.fernhollow.example. hostmaster.fernhollow.example. 2026030201 7200 3600 1209600 300',
      },
      { name: '@', type: 'NS', ttl: 3600, value: 'ns.fernhollow.example.' },
      { name: 'ns', type: 'A', ttl: 3600, value: '10.20.0.2' },
      { name: 'api.cedar', type: 'A', ttl: 300, value: '10.20.0.20' },
      { name: 'api.cedar', type: 'AAAA', ttl: 3600, value: 'fd00::20' },
      { name: 'desk', type: 'CNAME', ttl: 3600, value: 'api.cedar.fernhollow.example.' },
      {
        name: '_ledger._tcp',
        type: 'SRV',
        ttl: 3600,
        value: '10 5 5432 api.cedar.fernhollow.example.',
      },
      { name: '*.market', type: 'A', ttl: 3600, value: '10.20.40.33' },
      { name: 'note', type: 'TXT', ttl: 3600, value: '"keep; this" "and this"' },
      { name: '@', type: 'MX', ttl: 3600, value: '10 mail.fernhollow.example.' },
    ])
  })

  it('comes back the same when it is written and read again', () => {
    const { records } = read(good)
    const sorted = (list: typeof records) =>
      [...list].map((record) => JSON.stringify(record)).sort()
    expect(
      sorted(read(writeZone(records, domain, { nameServers: [], serial: 1 })).records),
    ).toEqual(sorted(records))
  })

  it.each([
    ['$INCLUDE other.zone', /^1: \$INCLUDE is not taken/],
    ['\n$GENERATE 1-9 m$ A 10.0.0.$', /^2: \$GENERATE is not taken/],
    [
      'desk CNAME ns\ndesk A 10.20.0.9',
      /CNAME and 1 other record: a CNAME stands alone \(RFC 2181\)/,
    ],
    ['a CNAME b\nb CNAME c\nc CNAME a', /CNAMEs run in a circle/],
    ['a CNAME a', /circle: a\.fernhollow\.example\. → a\.fernhollow\.example\./],
    ['ns A 10.20.0.256', /^1: /],
    ['ns A fd00::1', /is an IPv6 address; A takes IPv4/],
    ['ns WKS 10.20.0.2', /WKS is a type that is not known here/],
    ['ns CH A 10.20.0.2', /Class CH is not taken/],
    ['mar*ket A 10.20.0.2', /wild card is not the leftmost label/],
    ['a.*.b A 10.20.0.2', /wild card is not the leftmost label/],
    ['elsewhere.test. A 10.20.0.2', /lies outside fernhollow\.example/],
    ['_x._tcp SRV 1 2 70000 ns', /0 to 65535/],
    ['ns A ( 10.20.0.2', /parenthesis is never closed/],
    ['note TXT "open', /not closed/],
  ])('%j is named by its line', (text, expected) => expect(says(text).join('\n')).toMatch(expected))

  it('warns of a target that ends in the origin without its final dot, and shows the doubled name', () => {
    const { problems, records } = read('desk CNAME api.fernhollow.example')
    expect(problems).toEqual([
      {
        line: 1,
        level: 'caution',
        code: 'target-ends-without',
        params: {
          origin: 'fernhollow.example',
          target: 'api.fernhollow.example.fernhollow.example.',
        },
        says: 'The target ends in fernhollow.example without a final dot, so it means api.fernhollow.example.fernhollow.example.',
      },
    ])
    expect(records).toHaveLength(1)
  })

  it('gives the good lines of one with bad ones', () => {
    const { records, problems } = read('good A 10.0.0.1\nbad A nonsense\nalso A 10.0.0.2')
    expect(records.map((record) => record.name)).toEqual(['good', 'also'])
    expect(problems.map((problem) => problem.line)).toEqual([2])
  })

  it('never throws, whatever it is given', () => {
    const piece = fc.constantFrom(
      'a',
      '@',
      ' ',
      '\n',
      '(',
      ')',
      ';',
      '"',
      '\\',
      'IN',
      'A',
      'CNAME',
      '10.0.0.1',
      '$TTL',
      '$ORIGIN',
      '*',
      '.',
      '1h',
      'TXT',
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 60 }), (pieces) => void read(pieces.join(''))),
      { numRuns: 300 },
    )
  })
})

describe('a serial', () => {
  it('rises by RFC 1982, past the end too', () => {
    expect(nextSerial(2 ** 32 - 1)).toBe(0)
    expect([
      serialNewer(0, 2 ** 32 - 1),
      serialNewer(2 ** 32 - 1, 0),
      serialNewer(5, 5),
      serialNewer(2 ** 31, 0),
    ]).toEqual([true, false, false, false])
  })
})

describe('a name', () => {
  const records = read(good).records
  it('is followed through aliases, and by a wild card where nothing closer stands', () => {
    expect(resolve(records, domain, 'desk.fernhollow.example')).toEqual({
      addresses: ['10.20.0.20', 'fd00::20'],
      path: ['desk', 'api.cedar'],
    })
    expect(resolve(records, domain, 'ledger.market').addresses).toEqual(['10.20.40.33'])
    expect(resolve(records, domain, 'nobody').addresses).toEqual([])
  })
})

describe('a zone that is written', () => {
  const dir = mkdtempSync(join(tmpdir(), 'zone-'))
  afterAll(() => rmSync(dir, { recursive: true, force: true }))
  const authority = { nameServers: ['10.20.0.250'], serial: 2_026_030_201 }
  const file = (text: string): string => {
    const path = join(dir, 'zone')
    writeFileSync(path, text)
    return path
  }
  /** Whether Debian’s name server loads it, and what it says. */
  const loads = (text: string): string => {
    const done = spawnSync('/usr/bin/named-checkzone', [domain, file(text)], { encoding: 'utf8' })
    return done.status === 0 ? 'OK' : `${done.stdout}${done.stderr}`
  }
  /** The zone as that name server has it in the end. */
  const compiled = (text: string): string =>
    execFileSync('/usr/bin/named-compilezone', ['-q', '-o', '-', domain, file(text)], {
      encoding: 'utf8',
    })

  it('loads, with what it lacked: its start, a server and that server’s address', () => {
    const { records } = read('api A 10.20.0.20\nregistry A 10.20.0.253')
    const text = writeZone(records, domain, authority)
    expect(loads(text)).toBe('OK')
    const again = read(text)
    expect(again.problems).toEqual([])
    expect(again.records.filter(({ name }) => name === '@').map(({ type }) => type)).toEqual([
      'SOA',
      'NS',
    ])
    expect(again.records).toContainEqual({
      name: 'ns1',
      type: 'A',
      ttl: 3600,
      value: '10.20.0.250',
    })
  })

  it('names the server by the record that its address has already', () => {
    const { records } = read('ns A 10.20.0.250')
    const text = writeZone(records, domain, authority)
    expect(loads(text)).toBe('OK')
    expect(text).toMatch(/@ +3600 IN NS +ns\.fernhollow\.example\./)
    expect(text).not.toContain('ns1')
  })

  it('reads escapes once and writes them back', () => {
    const source = [
      'ns A 10.20.0.250',
      String.raw`a TXT "semi\;colon" "\065pi" "quo\"te" "back\\slash" "gr\195\188n" "\200\001"`,
      String.raw`b TXT un\;quoted \065`,
      String.raw`\065pi A 10.20.0.9`,
      '@ CAA 0 issue "ca.example\\; account=\\"7\\""',
      '@ MX 0 .',
      'grün-note TXT "x"',
    ]
      .filter((line) => !line.startsWith('grün'))
      .join('\n')
    const { records, problems } = read(source)
    expect(problems).toEqual([])
    const valueOf = (name: string, type: string) =>
      records.find((record) => record.name === name && record.type === type)?.value
    expect(valueOf('a', 'TXT')).toBe(
      String.raw`"semi;colon" "Api" "quo\"te" "back\\slash" "grün" "\200\001"`,
    )
    expect(valueOf('b', 'TXT')).toBe('"un;quoted" "A"')
    expect(valueOf('api', 'A')).toBe('10.20.0.9')
    expect(valueOf('@', 'CAA')).toBe(String.raw`0 issue "ca.example; account=\"7\""`)
    expect(valueOf('@', 'MX')).toBe('0 .')
    const text = writeZone(records, domain, authority)
    expect(loads(text)).toBe('OK')
    const again = read(text)
    for (const record of records) expect(again.records).toContainEqual(record)
    // What the name server makes of it is what it makes of the source itself.
    const head = '@ SOA ns hostmaster 1 7200 900 1209600 300\n@ NS ns\n'
    const asCompiled = (zone: string) =>
      compiled(zone)
        .split('\n')
        .filter((line) => /\b(TXT|CAA|MX)\b/.test(line))
        .map((line) => line.split(/\s+/).slice(3).join(' '))
        .sort()
    expect(asCompiled(text)).toEqual(asCompiled(`$TTL 3600\n${head}${source}\n`))
  })
})

describe('a zone of thousands of names', () => {
  const chain = (length: number, last: string) =>
    Array.from({ length }, (_, nth) => `n${nth} CNAME n${nth + 1}`).join('\n') +
    `\nn${length} ${last}`

  it('is followed from name to name once, and a circle of them is told with its first names', () => {
    expect(readZone(chain(4000, 'A 10.20.0.9'), 'fernhollow.example').problems).toEqual([])
    const { problems } = readZone(chain(4000, 'CNAME n0'), 'fernhollow.example')
    expect(problems).toHaveLength(4001)
    expect(problems[17]?.says).toContain('n0.fernhollow.example. → n1.fernhollow.example.')
    expect(problems[17]?.says.length).toBeLessThan(400)
  })

  it('has no origin longer than a name may be, however often it is lengthened', () => {
    const text = Array.from({ length: 300 }, () => '$ORIGIN a').join('\n')
    const { problems } = readZone(text, 'fernhollow.example')
    expect(problems.filter(({ level }) => level === 'stop').length).toBeGreaterThan(100)
  })
})
