import { describe, expect, it } from 'vitest'
import { findingsOf } from '../changes'
import { kindNamed } from '../kinds'
import { demoFleet } from '../testing/demo-fleet'
import type { FleetView } from '../fleet'
import { manifestApply } from './apply'
import { workloadRestart } from './workloads'

const demo = demoFleet()
const registry = {
  host: 'registry.fernhollow.example',
  images: { 'registry.fernhollow.example/gathering/cold-chain': ['1', '2', '3'] },
}
const fleet: FleetView = {
  ...demo,
  sites: demo.sites.map((site) => (site.name === 'mossgate' ? { ...site, registry } : site)),
}

const deployment = (more: {
  replicas?: number
  cpu?: string
  memory?: string
  namespace?: string
  image?: string
  pool?: string
}) => `# how the desk is run
apiVersion: apps/v1
kind: Deployment
metadata: { name: seed-desk, namespace: ${more.namespace ?? 'climate'} }
spec:
  replicas: ${more.replicas ?? 2} # as many as the season needs
  selector: { matchLabels: { app: seed-desk } }
  template:
    metadata: { labels: { app: seed-desk } }
    spec:
      nodeSelector: { gyrarch/pool: ${more.pool ?? 'general'} }
      containers:
        - name: desk
          image: ${more.image ?? 'registry.fernhollow.example/gathering/cold-chain:2'}
          resources: { requests: { cpu: '${more.cpu ?? '500m'}', memory: ${more.memory ?? '256Mi'} } }
`
const intentOf = (text: string) => ({
  cluster: 'cedar',
  text,
  manager: 'team-files',
  resolve: {},
})
const check = (text: string, view: FleetView = fleet) =>
  manifestApply.check(intentOf(text), view).filter(({ level }) => level !== 'note')

/** The fleet after another change, as drafts are judged. */
const apply = (change: { readonly kind: string; readonly intent: unknown }, view: FleetView) => {
  const read = kindNamed(change.kind)?.read(change.intent)
  return read?.ok ? (read.draft.after?.(view) ?? null) : null
}

describe('what a cluster can never hold', () => {
  const rules = (replicas: number) =>
    check(deployment({ replicas })).filter(({ rule }) => rule.startsWith('capacity.'))

  it('is a stop with the number it could, from the first pod too many', () => {
    // Ranges of /16 have 256 blocks of /24, each for 110 pods.
    const cedar = fleet.clusters.find(({ name }) => name === 'cedar')
    const blocks = 2 ** (24 - Number(cedar?.pods.split('/')[1]))
    const capacity = blocks * (cedar?.maxPodsPerNode ?? 0)
    expect(cedar?.maxPodsPerNode).toBe(110)
    expect(rules(capacity)).toEqual([])
    expect(rules(capacity + 1)).toMatchObject([
      { level: 'stop', params: { most: capacity, asked: capacity + 1 } },
    ])
    expect(rules(2_000_000_000)).toHaveLength(1)
  })
})

describe('what is applied is placed first', () => {
  it('and says nothing where it fits', () => {
    expect(check(deployment({}))).toEqual([])
  })

  it('forty pods of three cores: how many fit, why the others do not, and what is proven to help', () => {
    const text = deployment({ replicas: 40, cpu: '3' })
    const [finding, ...others] = findingsOf(manifestApply, intentOf(text), fleet, apply).filter(
      ({ level }) => level !== 'note',
    )
    expect(others).toEqual([])
    const { fits, waiting } = finding?.params as { fits: number; waiting: number }
    expect(finding?.says).toBe(
      `Deployment climate/seed-desk: of 40 pods ${fits === 0 ? 'none finds' : `${fits} find`} a place; ${fits === 0 ? 'all' : waiting} would wait. None of 12 nodes takes it: 6 have a taint that it does not tolerate and 6 are short of cpu.`,
    )
    expect(fits + waiting).toBe(40)
    const says = finding?.remedies.map((remedy) => remedy.says) ?? []
    expect(says.length).toBeGreaterThan(0)
    for (const remedy of finding?.remedies ?? []) expect(remedy.clears).toContain(finding?.key)
  })

  it('fewer of them, as many as fit, with the text otherwise as it was', () => {
    const text = deployment({ replicas: 40, cpu: '1' })
    const [finding] = check(text)
    const { fits } = finding?.params as { fits: number }
    expect(fits).toBeGreaterThan(0)
    const offer = finding?.offers?.find(({ says }) => says === `Run ${fits} of them`)
    const change = offer?.change
    const patched =
      change && 'patchDraft' in change ? (change.patchDraft[0] as { value: string }).value : ''
    expect(patched).toBe(text.replace('replicas: 40 #', `replicas: ${fits} #`))
    expect(check(patched)).toEqual([])
    expect(check(text.replace('replicas: 40', `replicas: ${fits + 1}`))).toHaveLength(1)
  })

  it('less for each, the most with which all fit', () => {
    const text = deployment({ replicas: 12, cpu: '3' })
    const [finding] = check(text)
    const offer = finding?.offers?.find(({ says }) => says.startsWith('Ask for'))
    const change = offer?.change
    const patched =
      change && 'patchDraft' in change ? (change.patchDraft[0] as { value: string }).value : ''
    const asked = Number(/cpu: '?(\d+)m/.exec(patched)?.[1])
    expect(asked).toBeGreaterThan(0)
    expect(check(patched)).toEqual([])
    expect(check(text.replace("cpu: '3'", `cpu: ${asked + 50}m`))).toHaveLength(1)
  })

  it('as many more nodes as it takes, and no fewer', () => {
    const text = deployment({ replicas: 8, cpu: '3' })
    const finding = findingsOf(manifestApply, intentOf(text), fleet, apply).find(({ rule }) =>
      rule.startsWith('place.'),
    )
    const remedy = finding?.remedies.find(({ says }) => says.startsWith('Add'))
    const change = remedy?.change
    if (!change || !('kind' in change)) throw new Error('more nodes help here')
    const { count } = change.intent as { count: number }
    const wider = apply(change, fleet)
    expect(wider && check(text, wider)).toEqual([])
    const narrower = apply(
      { kind: change.kind, intent: { ...(change.intent as object), count: count - 1 } },
      fleet,
    )
    expect(narrower && check(text, narrower)).toHaveLength(1)
  })

  it('a roll-out lets its own old pods go', () => {
    const text = `apiVersion: apps/v1
kind: Deployment
metadata: { name: climate-loop, namespace: climate }
spec: { template: { spec: { containers: [{ name: climate-loop, image: 'registry.fernhollow.example/climate/climate-loop:3' }] } } }
`
    expect(check(text).filter(({ rule }) => rule.startsWith('place.'))).toEqual([])
  })

  it('an autoscaler, at its most', () => {
    const text = (maxReplicas: number) => `apiVersion: autoscaling/v2
kind: HorizontalPodAutoscaler
metadata: { name: climate-loop, namespace: climate }
spec:
  minReplicas: 1
  maxReplicas: ${maxReplicas}
  scaleTargetRef: { apiVersion: apps/v1, kind: Deployment, name: climate-loop }
  metrics:
    - type: Pods
      pods: { metric: { name: rate }, target: { type: AverageValue, averageValue: '10' } }
`
    const [finding] = check(text(30))
    expect(finding?.code).toBe('no-place-at-most')
    const { fits } = finding?.params as { fits: number }
    expect(check(text(fits))).toEqual([])
    expect(check(text(fits + 1))).toHaveLength(1)
  })
})

describe('quotas', () => {
  it('count what would be added, and say how many pods they admit', () => {
    const text = deployment({ namespace: 'gathering', replicas: 9, cpu: '700m' })
    const [finding] = check(text).filter(({ rule }) => rule.startsWith('quota.'))
    const { fits, hard, counted } = finding?.params as {
      fits: number
      hard: string
      counted: string
    }
    expect([counted, hard]).toEqual(['requests.cpu', '14'])
    const fewer = text.replace('replicas: 9', `replicas: ${fits}`)
    expect(check(fewer).filter(({ rule }) => rule.startsWith('quota.'))).toEqual([])
  })
  it('refuse pods that do not say what they take', () => {
    const text = deployment({ namespace: 'gathering' }).replace(/ +resources:.*\n/, '')
    expect(check(text).map(({ level, code }) => [level, code])).toContainEqual([
      'stop',
      'quota-needs',
    ])
  })
})

describe('images', () => {
  it.each([
    ['registry.fernhollow.example/gathering/cold-chain:9', 'It has 1, 2 and 3.'],
    ['registry.fernhollow.example/gathering/warm-chain:2', 'It has no such repository.'],
  ])('%s is looked up', (image, told) => {
    const [finding] = check(deployment({ image }))
    expect(finding?.says).toBe(
      `Deployment climate/seed-desk: the registry does not have ${image}. ${told}`,
    )
  })
  it('of other registries are nobody’s to know', () => {
    expect(check(deployment({ image: 'elsewhere.example/x:1' }))).toEqual([])
  })
})

describe('claims', () => {
  const claim = (size: string) => `apiVersion: v1
kind: PersistentVolumeClaim
metadata: { name: archive, namespace: climate }
spec: { accessModes: [ReadWriteOnce], resources: { requests: { storage: ${size} } } }
`
  it('larger than any store are told of, with what would fit', () => {
    const [finding] = check(claim('900Ti'))
    expect(finding?.code).toBe('claim-too-large')
    const change = finding?.offers?.[0]?.change
    const patched =
      change && 'patchDraft' in change ? (change.patchDraft[0] as { value: string }).value : ''
    expect(check(patched)).toEqual([])
    expect(check(claim('10Gi'))).toEqual([])
  })
})

describe('pods made anew', () => {
  it('are placed without the old ones, and told of where they would find no place', () => {
    const intent = {
      cluster: 'cedar',
      kind: 'Deployment' as const,
      namespace: 'climate',
      name: 'climate-loop',
    }
    const told = (view: FleetView) =>
      workloadRestart.check(intent, view).map(({ code, field }) => [code, field])
    expect(told(fleet)).toEqual([])
    const cordoned: FleetView = {
      ...fleet,
      objects: {
        ...fleet.objects,
        cedar: {
          state: 'known',
          version: 2,
          at: fleet.now,
          value: (fleet.objects?.['cedar']?.state === 'known'
            ? fleet.objects['cedar'].value
            : []
          ).map((object) =>
            object.kind === 'Node' ? { ...object, spec: { unschedulable: true } } : object,
          ),
        },
      },
    }
    expect(told(cordoned)).toEqual([['no-place', 'name']])
  })
})
