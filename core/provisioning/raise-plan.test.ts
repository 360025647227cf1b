/** The plan of a new cluster, its images, and the way back: taking down. */
import { describe, expect, it } from 'vitest'
import type { FleetView } from '../fleet'
import { findingsOf, inOrder } from '../changes'
import { demoFleet } from '../testing/demo-fleet'
import { birch, elm, fernlet } from '../testing/drafts'
import { kindNamed } from '../kinds'
import {
  clusterRaise,
  clusterTakedown,
  imagePlace,
  type ImagePlaceIntent,
  type RaiseIntent,
  raiseIntent,
} from '.'

const view: FleetView = demoFleet()

const draft = (base: object, changes: Record<string, unknown> = {}): RaiseIntent =>
  raiseIntent.parse({ ...structuredClone(base), ...changes })
describe('a draft in a fleet', () => {
  it('a guarded cluster on a tier that promises nothing is told of one that does', () => {
    const guarded = draft(fernlet, { guarded: true })
    const told = findingsOf(clusterRaise, guarded, view).find(
      ({ rule }) => rule === 'control-plane.promise',
    )
    expect(told).toMatchObject({
      level: 'note',
      says: 'It is guarded, and plain promises nothing about how long its API answers; assured promises 99.9 %: down at most 44 min a month.',
      remedies: [{ says: 'Use assured' }],
    })
  })

  it('a release out of support is cautioned', () => {
    expect(
      findingsOf(clusterRaise, draft(birch, { release: '1.32.4' }), view).find(
        (finding) => finding.rule === 'release.support',
      ),
    ).toMatchObject({
      level: 'caution',
      remedies: [{ says: 'Use 1.34.1' }, { says: 'Use 1.33.2' }],
    })
  })

  it('a lifecycle cluster that is not well is cautioned, at its own site only', () => {
    const down: FleetView = {
      ...view,
      clusters: view.clusters.map((cluster) =>
        cluster.name === 'alder' ? { ...cluster, apiAnswers: false } : cluster,
      ),
    }
    expect(
      findingsOf(clusterRaise, draft(birch), down).find(
        (finding) => finding.rule === 'lifecycle.well',
      ),
    ).toMatchObject({ level: 'caution', about: 'cluster/alder' })
    expect(
      findingsOf(clusterRaise, draft(fernlet), down).map((finding) => finding.rule),
    ).not.toContain('lifecycle.well')
    expect(
      findingsOf(clusterRaise, draft(birch), view).map((finding) => finding.rule),
    ).not.toContain('lifecycle.well')
  })

  it('reservations of running changes counts them as taken', () => {
    const busy: FleetView = {
      ...view,
      reservations: [
        {
          change: '1',
          kind: 'machine',
          site: 'tarn-north',
          zone: 'north-1',
          what: 'rowan-general-1',
          cores: 16,
        },
        { change: '1', kind: 'name', site: 'tarn-north', what: 'rowan' },
        {
          change: '1',
          kind: 'range',
          site: 'tarn-north',
          domain: 'fernhollow',
          what: '10.132.0.0/18',
        },
      ],
    }
    const rules = findingsOf(
      clusterRaise,
      draft(fernlet, { name: 'rowan', pools: [{ name: 'general', size: 'reed-4-16', count: 2 }] }),
      busy,
    ).map((finding) => finding.rule)
    expect(rules).toEqual(expect.arrayContaining(['quota.cores', 'name.taken', 'range.overlap']))
  })
})

describe('the plan', () => {
  it('of a hall cluster goes from addresses over the first machine and the API to the rest, and ends in the proof', () => {
    const plan = clusterRaise.plan(draft(birch), view)
    const order = inOrder(plan.steps).map(({ id }) => id)
    const before = (a: string, b: string): void =>
      expect(order.indexOf(a), `${a} before ${b}`).toBeLessThan(order.indexOf(b))
    before('addresses', 'create:birch-cp-1')
    before('boot:birch-cp-1', 'api')
    before('api', 'create:birch-cp-2')
    before('api', 'create:birch-general-1')
    before('join:birch-general-2', 'add-ons')
    before('add-ons', 'dns')
    expect(plan.steps.find(({ id }) => id === 'create:birch-general-1')?.after).toEqual(['api'])
    expect(plan.seconds.worst).toBeGreaterThan(plan.seconds.likely)
    expect(plan.critical[0]).toBe('register')
    expect(plan.creates).toEqual(
      expect.arrayContaining([
        'cluster/birch',
        'machine/mossgate/birch-cp-3',
        'node/birch/birch-general-2',
        'address/mossgate/10.20.0.2',
      ]),
    )
  })

  it('of a cloud cluster costs its machines, disks and tier', () => {
    const plan = clusterRaise.plan(
      draft(fernlet, { controlPlane: { kind: 'managed', tier: 'assured' } }),
      view,
    )
    expect(plan.spend.after - plan.spend.before).toBeCloseTo(730 * (2 * 0.061 + 0.1) + 60 * 0.085)
  })

  it('of the box costs the power it draws', () => {
    const plan = clusterRaise.plan(draft(elm), view)
    expect(plan.spend.after - plan.spend.before).toBeCloseTo(730 * 0.045 * 0.31)
  })

  it('can be undone step by step: whatever is made has an undo', () => {
    for (const base of [elm, fernlet, birch]) {
      for (const step of clusterRaise.plan(draft(base), view).steps) {
        if (/^(register|addresses|create|install|control-plane|api|join)/.test(step.id))
          expect(step.undo, step.id).toBeDefined()
      }
    }
  })
})

describe('putting an image in place', () => {
  const place = (intent: ImagePlaceIntent): readonly string[] =>
    findingsOf(imagePlace, intent, view).map((finding) => finding.rule)

  it.each([
    ['nowhere', '1.33.0', 'site.known'],
    ['palisade-east', '1.33.0', 'image.cloud'],
    ['kilnlane', '1.33.0', 'image.reach'],
    ['mossgate', '1.40.0', 'release.available'],
    ['mossgate', '1.32.1', 'release.withdrawn'],
    ['mossgate', '1.33.2', 'image.there'],
  ])('at %s of %s is stopped: %s', (site, release, rule) =>
    expect(place({ site, release })).toEqual([rule]),
  )

  it('is offered, proven, to a draft whose image is missing, beside other releases', () => {
    const read = kindNamed('cluster.raise')?.read({ ...birch, release: '1.33.0' })
    const finding = read?.ok
      ? read.draft.findings(view).find((finding) => finding.rule === 'image.present')
      : undefined
    expect(finding?.remedies.map((remedy) => remedy.says)).toEqual([
      'Use 1.33.2',
      'Use 1.33.1',
      'Put the image of 1.33.0 in place first',
    ])
    expect(finding?.remedies[2]).toMatchObject({
      change: { kind: 'image.place', intent: { site: 'mossgate', release: '1.33.0' } },
      clears: ['image.present|release'],
    })
  })

  it('is not offered where it could not run itself', () => {
    const read = kindNamed('cluster.raise')?.read({
      ...birch,
      site: 'kilnlane',
      release: '1.33.0',
      controlPlane: { kind: 'own', count: 1 },
      pools: [{ name: 'general', size: 'rack-4', count: 1 }],
    })
    const finding = read?.ok
      ? read.draft.findings(view).find((finding) => finding.rule === 'image.present')
      : undefined
    expect(finding).toBeDefined()
    expect(finding?.remedies.some((remedy) => remedy.says.startsWith('Put'))).toBe(false)
  })
})

describe('taking down', () => {
  it('is stopped for a cluster that drives others, and for one that is not there', () => {
    expect(
      clusterTakedown.check({ cluster: 'alder' }, view).map(({ rule, level }) => [rule, level]),
    ).toContainEqual(['cluster.drives', 'stop'])
    expect(clusterTakedown.check({ cluster: 'lost' }, view)[0]?.rule).toBe('cluster.known')
  })

  it('removes every machine, disk and address the cluster holds, and saves what it cost', () => {
    const plan = clusterTakedown.plan({ cluster: 'dill' }, view)
    expect(plan.removes.filter((ref) => ref.startsWith('machine/'))).toHaveLength(3)
    expect(plan.spend.before - plan.spend.after).toBeCloseTo(730 * 3 * 0.118 + 3 * 30 * 0.085)
    expect(plan.steps.every((step) => step.final)).toBe(true)
  })
})
