/** The change kinds `image.sign` and `image.withdraw`: somebody vouches for an image, or its tag is taken away. */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  longestPath,
  type Plan,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../../changes'
import { command } from '../../contract'
import { type FleetView, listedObjects, type SiteView } from '../../fleet'
import { isOfKind } from '../../objects'
import { askRetry, step } from '../../provisioning/steps'
import type { PublishedImage } from '../../releases'
import { listedWhere } from '../reference'
import { registriesAre, unknownRegistry } from './access-shared'
import { judgedOf, workloadOf } from './judged'
import { said } from './says'

const imageIntent = z.strictObject({
  registry: z.string().max(253),
  /** `repository:tag` */
  image: z.string().max(400),
})
type ImageIntent = z.infer<typeof imageIntent>

interface Asked {
  readonly site: SiteView
  readonly image: PublishedImage
}

function asked(
  { registry, image: name }: ImageIntent,
  view: FleetView,
): Asked | { readonly findings: readonly RawFinding[] } {
  const site = view.sites.find((candidate) => candidate.registry?.host === registry)
  const joined = view.sites.find((candidate) => candidate.registry && candidate.connected)
  if (!site) return { findings: [unknownRegistry(registry, view)] }
  if (!site.connected)
    return {
      findings: [
        stop(
          'registry.joined',
          'registry',
          said('registry.inside', { registry, host: joined?.registry?.host ?? 'another registry' }),
          [registriesAre(view)],
        ),
      ],
    }
  const images = view.published?.images ?? []
  const image = images.find((candidate) => candidate.name === name)
  if (image) return { site, image }
  const repository = name.split(':')[0] ?? ''
  const like = images
    .map((candidate) => candidate.name)
    .filter((candidate) => candidate.startsWith(`${repository}:`))
  return {
    findings: [
      stop(
        'image.known',
        'image',
        said('image.unknown', { image: name, registry }),
        [{ ...said('images.like', { images: like.slice(-6) }), source: registry }],
        like.slice(-2).map((candidate) => ({
          says: `Take ${candidate}`,
          change: { patchDraft: [{ op: 'replace', path: '/image', value: candidate } as const] },
        })),
      ),
    ],
  }
}

function planOf(
  intent: ImageIntent,
  view: FleetView,
  stepsOf: (of: Asked) => readonly Step[],
): Plan {
  const target = asked(intent, view)
  if ('findings' in target) throw new Error('a plan is made only for an image that is there')
  const steps = stepsOf(target)
  return {
    steps,
    creates: [],
    alters: [ref('image', intent.registry, intent.image)],
    removes: [],
    ...longestPath(steps),
    spend: { before: 0, after: 0 },
    reserves: [],
  }
}

const targetOf = (intent: ImageIntent, { image }: Asked) => {
  const colon = image.name.lastIndexOf(':')
  return {
    registry: intent.registry,
    repository: image.name.slice(0, colon),
    tag: image.name.slice(colon + 1),
    digest: image.digest,
  }
}

const shared = {
  intent: imageIntent,
  subjects: (intent: ImageIntent) => [ref('image', intent.registry, intent.image)],
  guardedBy: () => null,
} as const

export const imageSign: ChangeKind<ImageIntent> = {
  ...shared,
  name: 'image.sign',
  title: 'Sign an image',
  needs: () => ['published', 'registries'],
  label: (intent) => `sign ${intent.image || 'an image'}`,
  check: (intent, view) => {
    const target = asked(intent, view)
    if ('findings' in target) return target.findings
    const { image } = target
    if (image.signed)
      return [
        stop(
          'image.unsigned',
          'image',
          said('image.signed', { image: image.name, by: image.signedBy ?? 'somebody' }),
        ),
      ]
    const worst = judgedOf(view, image.name)?.worst ?? null
    const findings = image.vulnerabilities ?? []
    return worst === null
      ? []
      : [
          caution(
            'image.findings',
            'image',
            said('image.findings', { image: image.name, count: findings.length, worst }),
            findings.slice(0, 6).map(({ id, severity }) => ({
              ...said('finding.is', { id, severity }),
              source: 'scanner',
            })),
          ),
        ]
  },
  plan: (intent, view) =>
    planOf(intent, view, (of) => {
      const target = targetOf(intent, of)
      return [
        step({
          id: 'sign',
          after: [],
          group: intent.registry,
          says: `vouch for ${intent.image}`,
          command: command('image.sign', target),
          undo: command('image.unsign', {
            ...target,
            signature: { $from: 'sign', path: 'signature' },
          }),
          retry: askRetry,
          seconds: { likely: 1, worst: 5 },
        }),
      ]
    }),
  prove: (intent, view) => {
    const target = asked(intent, view)
    const image = 'findings' in target ? null : target.image
    return [
      {
        says: `${intent.image} has a signature that counts`,
        holds: image?.signed === true,
        observed: image?.signed === true ? `signed by ${image.signedBy ?? 'somebody'}` : 'none',
      },
    ]
  },
}

/** Who runs an image, by cluster and workload. */
function usersOf(view: FleetView, name: string): readonly { workload: string; pods: number }[] {
  const users = new Map<string, number>()
  for (const cluster of view.clusters)
    for (const pod of listedObjects(view, cluster.name)) {
      if (!isOfKind(pod, 'Pod')) continue
      const isUser = (pod.spec?.containers ?? []).some(({ image }) => {
        return listedWhere(cluster.redirects, image ?? '').includes(name)
      })
      if (!isUser) continue
      const workload = `${cluster.name} ${pod.metadata.namespace ?? 'default'}/${workloadOf(pod)}`
      users.set(workload, (users.get(workload) ?? 0) + 1)
    }
  return [...users].map(([workload, pods]) => ({ workload, pods }))
}

export const imageWithdraw: ChangeKind<ImageIntent> = {
  ...shared,
  name: 'image.withdraw',
  title: 'Withdraw an image',
  needs: () => ['published', 'registries', 'objects-everywhere'],
  label: (intent) => `withdraw ${intent.image || 'an image'}`,
  check: (intent, view) => {
    const target = asked(intent, view)
    if ('findings' in target) return target.findings
    const users = usersOf(view, target.image.name)
    if (users.length === 0) return []
    return [
      caution(
        'image.runs',
        'image',
        said('image.runs', {
          image: target.image.name,
          pods: users.reduce((sum, { pods }) => sum + pods, 0),
          workloads: users.map(({ workload }) => workload),
        }),
        users.slice(0, 8).map(({ workload, pods }) => ({
          ...said('workload.runs', { workload, pods }),
          source: 'fleet',
        })),
      ),
    ]
  },
  plan: (intent, view) =>
    planOf(intent, view, (of) => {
      const target = targetOf(intent, of)
      return [
        step({
          id: 'withdraw',
          after: [],
          group: intent.registry,
          says: `take the tag ${target.tag} away; the digest stays`,
          command: command('image.untag', target),
          undo: command('image.tag', target),
          retry: askRetry,
          seconds: { likely: 1, worst: 5 },
        }),
      ]
    }),
  prove: (intent, view) => {
    const target = asked(intent, view)
    return [
      {
        says: `${intent.registry} gives ${intent.image} to nobody any more`,
        holds: 'findings' in target,
        observed: 'findings' in target ? 'not found' : 'still there',
      },
    ]
  },
}
