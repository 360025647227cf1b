/** Sentences that were read wrongly, as they are told now. */
import { describe, expect, it } from 'vitest'
import { amissText, type FleetView } from '../fleet'
import { writeYaml } from '../objects'
import { lossText } from '../placement'
import { demoFleet, withCalls } from '../testing/demo-fleet'
import { birch, fernlet } from '../testing/drafts'
import { kindNamed } from '.'

const demo = demoFleet()
const empty = { state: 'known' as const, version: 1, at: demo.now, value: [] }
const fleet: FleetView = { ...demo, objects: { ...demo.objects, bramble: empty } }

function draftOf(kind: string, intent: unknown) {
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) throw new Error(`${kind} does not read its intent`)
  return read.draft
}
const told = (kind: string, intent: unknown, view: FleetView = fleet): readonly string[] =>
  draftOf(kind, intent)
    .findings(view)
    .flatMap(({ says, remedies }) => [says, ...remedies.map((remedy) => remedy.says)])

describe('sentences', () => {
  it('say which addresses will be used where none is given, not that they are taken', () => {
    const notes = told('cluster.raise', birch).filter((says) => says.includes('lowest free'))
    expect(notes).toEqual([
      expect.stringMatching(
        /^No addresses given: the lowest free ones of mossgate management will be used, 10\.20\.0\./,
      ),
    ])
  })

  it('name the fewest and the most of a range', () => {
    const resize = (count: number) =>
      told('pool.resize', { cluster: 'bramble', pool: 'general', count })
    expect(resize(1)).toContain('3 nodes, the fewest of its range')
    expect(resize(12)).toContain('8 nodes, the most of its range')
  })

  it('tell pods that are made, made anew and only more of them apart', () => {
    const workload = (replicas: number, image: string) =>
      writeYaml({
        apiVersion: 'apps/v1',
        kind: 'Deployment',
        metadata: { name: 'sensor-intake', namespace: 'climate' },
        spec: { replicas, template: { spec: { containers: [{ name: 'sensor-intake', image }] } } },
      })
    const says = (text: string): readonly string[] =>
      draftOf('manifest.apply', { cluster: 'cedar', text, manager: 'team-files' })
        .plan(withCalls(fleet, 'cedar'))
        .steps.map((step) => step.says)
    const now = 'registry.fernhollow.example/climate/sensor-intake:2'
    expect(says(workload(5, now)).at(-1)).toBe('5 pods ready')
    expect(says(workload(4, now.replace(':2', ':3'))).at(-1)).toBe('4 pods made anew and ready')
    const made = workload(1, now).replace(/sensor-intake\n {2}namespace/, 'lamp\n  namespace')
    expect(
      says(
        made
          .replace('spec:', 'spec:\n  selector: { matchLabels: { app: lamp } }')
          .replace('template:', 'template:\n    metadata: { labels: { app: lamp } }'),
      ).at(-1),
    ).toBe('1 pod made and ready')
  })

  it('are not told of calls that stay as they are beside nodes that lose their API', () => {
    const rule = {
      name: 'uplink-closed',
      priority: 5,
      direction: 'out',
      action: 'deny',
      protocol: 'tcp',
      ports: ['443'],
    }
    const call = {
      from: 'climate/sensor-intake',
      to: 'climate/climate-loop',
      port: 8080,
      method: 'GET',
      path: '/',
      medianMs: 10,
      spans: [],
    }
    const view = withCalls(withCalls(fleet, 'bramble', [call]), 'cedar')
    const says = draftOf('wire.firewall', { site: 'palisade-east', put: [rule] })
      .findings({
        ...view,
        objects: { ...view.objects, bramble: view.objects?.['cedar'] ?? empty },
      })
      .map((finding) => finding.says)
    expect(says.some((text) => text.includes('no longer reach'))).toBe(true)
    expect(says.some((text) => text.startsWith('No call of the last day in bramble'))).toBe(false)
  })

  it('name what a node lacks, not the condition that it should have', () => {
    const amiss = (status: 'True' | 'False' | 'Unknown') =>
      amissText({
        conditions: [
          { type: 'Ready', status, reason: '', message: '', since: '' },
          { type: 'DiskPressure', status: 'True', reason: '', message: '', since: '' },
          { type: 'PIDPressure', status: 'False', reason: '', message: '', since: '' },
        ],
      })
    expect([amiss('False'), amiss('Unknown'), amiss('True')]).toEqual([
      'not ready, DiskPressure',
      'not heard of, DiskPressure',
      'DiskPressure',
    ])
  })

  it('say of pods that they have no place', () => {
    const without = (homeless: number) =>
      lossText({
        losses: [
          { zone: 'a', moved: 3, homeless },
          { zone: 'b', moved: 1, homeless: 0 },
        ],
      })
    expect([without(1), without(2), without(0)]).toEqual([
      '1 pod has no place without a',
      '2 pods have no place without a',
      'all pods find room',
    ])
  })

  it('count one as one', () => {
    const quota = told('cluster.raise', {
      ...fernlet,
      pools: [{ name: 'general', size: 'reed-4-16', count: 6 }],
    })
    expect(quota.some((says) => /\b1 (nodes|machines|pods|zones)\b/.test(says))).toBe(false)
  })
})
