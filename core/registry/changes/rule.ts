/**
 * The change kind `registry.rule`: which images a namespace takes. It is written as annotations of the namespace, and heeded
 * by nodes when they pull; what it would stop now is told before.
 */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  guardedCluster,
  listing,
  longestPath,
  noCluster,
  noNamespace,
  type RawFinding,
  ref,
  stop,
} from '../../changes'
import {
  brokenRule,
  command,
  findingSeverities,
  imageFindingsRule,
  type ImageRule,
  imageRuleIn,
  signedImagesRule,
} from '../../contract'
import { clusterOf, type FleetView, listedObjects, siteOf } from '../../fleet'
import { isOfKind, record } from '../../objects'
import { step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { judgedOf, workloadOf } from './judged'
import { said } from './says'

const ruleIntent = z.strictObject({
  cluster: z.string().max(253),
  namespace: z.string().max(63),
  /** Only images with a signature that counts. */
  signed: z.boolean().default(true),
  /** No image with a finding as grave as this. */
  below: z.enum(findingSeverities).nullable().default(null),
})
type RuleIntent = z.infer<typeof ruleIntent>

const ruleOf = (intent: RuleIntent): ImageRule => ({ signed: intent.signed, below: intent.below })

function ruleText({ signed, below }: ImageRule): string {
  if (signed && below !== null) return `signed images without findings of ${below} or above`
  if (signed) return 'only signed images'
  return below === null ? 'any image' : `images without findings of ${below} or above`
}

function standingRule(view: FleetView, intent: RuleIntent): ImageRule {
  const namespace = listedObjects(view, intent.cluster).find(
    (object) => object.kind === 'Namespace' && object.metadata?.name === intent.namespace,
  )
  return imageRuleIn(record(record(namespace?.metadata)['annotations']))
}

/** Workloads whose images the rule would not let be pulled again. */
function stopped(intent: RuleIntent, view: FleetView) {
  const rule = ruleOf(intent)
  const broken = new Map<string, { pods: number; image: string; why: string }>()
  const redirects = clusterOf(view, intent.cluster)?.redirects
  for (const pod of listedObjects(view, intent.cluster)) {
    if (!isOfKind(pod, 'Pod') || (pod.metadata.namespace ?? 'default') !== intent.namespace)
      continue
    const workload = workloadOf(pod)
    for (const container of pod.spec?.containers ?? []) {
      const image = container.image ?? ''
      const judged = judgedOf(view, image, redirects)
      const breaks = judged && brokenRule(rule, judged)
      if (!judged || !breaks) continue
      const before = broken.get(workload)
      const why =
        breaks === 'signature' ? 'it is not signed' : `it has a finding of ${judged.worst ?? ''}`
      broken.set(workload, { pods: (before?.pods ?? 0) + 1, image, why })
      break
    }
  }
  return [...broken].map(([workload, entry]) => ({ workload, ...entry }))
}

function check(intent: RuleIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const silent = listing(cluster, view)
  if (silent.length > 0) return silent
  const seen = { source: cluster.name, at: cluster.observedAt }
  if (!cluster.namespaces.includes(intent.namespace))
    return [noNamespace(intent.namespace, cluster)]
  const before = standingRule(view, intent)
  if (before.signed === intent.signed && before.below === intent.below)
    return [
      stop('rule.new', 'signed', said('rule.same', { namespace: intent.namespace }), [
        { ...said('rule.is', { namespace: intent.namespace, rule: ruleText(before) }), ...seen },
      ]),
    ]
  const workloads = stopped(intent, view)
  if (workloads.length === 0) return []
  return [
    caution(
      'rule.stops',
      'signed',
      said('rule.stops', {
        namespace: intent.namespace,
        pods: workloads.reduce((sum, { pods }) => sum + pods, 0),
        workloads: workloads.map(({ workload }) => workload),
      }),
      workloads.slice(0, 8).map(({ workload, image, why }) => ({
        ...said('image.breaks', { workload, image, why }),
        ...seen,
      })),
    ),
  ]
}

export const registryRule: ChangeKind<RuleIntent> = {
  name: 'registry.rule',
  title: 'Say which images a namespace takes',
  intent: ruleIntent,
  needs: (intent) => ['published', `cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) => [ref('namespace', intent.cluster, intent.namespace)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `let ${intent.namespace || 'a namespace'} take ${ruleText(ruleOf(intent))}`,
  check,
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const site = cluster && siteOf(view, cluster.site)
    if (!site) throw new Error('a plan is made only for a cluster that is known')
    const annotations = {
      [signedImagesRule]: intent.signed ? 'required' : 'any',
      [imageFindingsRule]: intent.below ?? 'any',
    }
    const steps = [
      step({
        id: 'write',
        after: [],
        group: intent.namespace,
        says: `takes ${ruleText(ruleOf(intent))}`,
        command: command('objects.apply', {
          cluster: intent.cluster,
          objects: [
            {
              apiVersion: 'v1',
              kind: 'Namespace',
              metadata: { name: intent.namespace, annotations },
            },
          ],
          force: Object.keys(annotations).map(
            (key) =>
              `Namespace//${intent.namespace} /metadata/annotations/${key.replace(/\//g, '~1')}`,
          ),
        }),
        undo: command('objects.put-back', {
          cluster: intent.cluster,
          before: { $from: 'write', path: 'before' },
        }),
        seconds: { likely: 4, worst: 12 },
        retry: { attempts: 3, firstSeconds: 5, mostSeconds: 20 },
      }),
    ]
    const spend = siteSpend(site).perMonth
    return {
      steps,
      creates: [],
      alters: [ref('namespace', intent.cluster, intent.namespace)],
      removes: [],
      ...longestPath(steps),
      spend: { before: spend, after: spend },
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const rule = standingRule(view, intent)
    return [
      {
        says: `${intent.namespace} takes ${ruleText(ruleOf(intent))}`,
        holds: rule.signed === intent.signed && rule.below === intent.below,
        observed: ruleText(rule),
      },
    ]
  },
}
