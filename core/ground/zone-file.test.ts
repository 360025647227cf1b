import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
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
    expect(sorted(read(writeZone(records, domain)).records)).toEqual(sorted(records))
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
