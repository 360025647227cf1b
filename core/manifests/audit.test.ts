/** What of a text stops being served: with documents that others write, broken ones among them. */
import { expect, it } from 'vitest'
import { auditManifests } from './audit'
import { auditAndConvert, convertManifests } from './convert'

const shortly = (text: string, target = '1.33') => {
  const audit = auditManifests(text, target)
  return {
    objects: audit.objects,
    found: audit.found.map(
      ({ document, line, kind, namespace, name, gone }) =>
        `${document}:${line} ${kind} ${namespace ?? '-'}/${name ?? '-'} ${gone ? 'gone' : 'going'}`,
    ),
    unreadable: audit.unreadable.map(({ document, line }) => `${document}:${line}`),
  }
}

const gateSync = `# what gate-sync still asks for
apiVersion: "networking.k8s.io/v1beta1" # quoted
kind: Ingress
metadata:
  name: gate
  namespace: market
`

it('tells the line of the apiVersion, wherever it stands, and what is not gone yet', () => {
  const text = `${gateSync}---\nkind: CronJob\nmetadata: {name: pruning-report}\napiVersion: batch/v1beta1\n---\napiVersion: apps/v1\nkind: Deployment\nmetadata: {name: fine}\n`
  expect(shortly(text)).toEqual({
    objects: 3,
    found: ['0:2 Ingress market/gate gone', '1:10 CronJob -/pruning-report gone'],
    unreadable: [],
  })
  expect(shortly(text, '1.24').found).toEqual([
    '0:2 Ingress market/gate gone',
    '1:10 CronJob -/pruning-report going',
  ])
  expect(shortly(text, '1.21').found.map((each) => each.split(' ').at(-1))).toEqual([
    'going',
    'going',
  ])
})

it('opens lists, and counts what is in them singly', () => {
  const items = ['a', 'b'].map((name) => ({
    apiVersion: 'policy/v1beta1',
    kind: 'PodDisruptionBudget',
    metadata: { name, namespace: 'climate' },
  }))
  expect(shortly(JSON.stringify({ apiVersion: 'v1', kind: 'List', items }))).toEqual({
    objects: 2,
    found: ['0:1 PodDisruptionBudget climate/a gone', '0:1 PodDisruptionBudget climate/b gone'],
    unreadable: [],
  })
})

it('lists what cannot be read, and still reads the others', () => {
  const text = `---\n\n---\nkey: [1, 2\n---\n${gateSync}---\njust a text\n---\nkind: Pod\nmetadata: {name: bare}\n---\na: 1\na: 2\n`
  expect(shortly(text)).toEqual({
    objects: 1,
    found: ['2:7 Ingress market/gate gone'],
    unreadable: ['1:5', '3:13', '4:15', '5:19'],
  })
})

it('follows aliases, and is not led astray by a name that is none', () => {
  const text = `a: &version policy/v1beta1\napiVersion: *version\nkind: PodSecurityPolicy\nmetadata: {name: 7}\n`
  expect(auditManifests(text, '1.33').found).toEqual([
    {
      document: 0,
      line: 2,
      apiVersion: 'policy/v1beta1',
      kind: 'PodSecurityPolicy',
      namespace: null,
      name: null,
      removedIn: '1.25',
      gone: true,
      successor: null,
    },
  ])
  expect(shortly('')).toEqual({ objects: 0, found: [], unreadable: [] })
})

it('tells how far it is, from nothing to all of it', () => {
  const text = Array.from({ length: 40 }, (_, i) =>
    [
      'apiVersion: batch/v1beta1',
      'kind: CronJob',
      `metadata: { name: job-${i} }`,
      'spec: { schedule: "0 1 * * *" }',
      '',
    ].join('\n'),
  ).join('---\n')
  const shares: number[] = []
  const { audit, converted } = auditAndConvert(text, '1.33', (share) => shares.push(share))
  expect(shares).toEqual([...shares].sort((a, b) => a - b))
  expect(shares.length).toBeGreaterThan(40)
  expect(shares.at(-1)).toBeCloseTo(1)
  expect(audit).toEqual(auditManifests(text, '1.33'))
  expect(converted).toEqual(convertManifests(text, '1.33'))
  expect(auditAndConvert('', '1.33').audit.objects).toBe(0)
})
