/** What gets objects past a webhook that refuses them because it does not know the version in which they are written. */
import type { Answer } from '../changes'
import type { Failure } from '../contract'
import { type FleetView, listedObjects } from '../fleet'
import { apiGroupOf, type Json, list, record, resourcesOf, text, texts } from '../objects'
import { type ApplyIntent, changesOf } from './apply-intent'
import { tidied, type WrittenObject } from './parse'
import { said } from './says'
import { isAsked } from './webhook-checks'

interface Denied {
  readonly configuration: WrittenObject
  readonly webhook: string
  /** Objects that the webhook is asked about, as they are to be written. */
  readonly objects: readonly WrittenObject[]
}

const webhooksOf = (configuration: WrittenObject): readonly Json[] =>
  list(configuration['webhooks']).map(record)

/** A rule that asks about a kind in a version no more; null where that leaves nothing to be asked about. */
function without(rule: Json, { kind, apiVersion }: WrittenObject): Json | null {
  const [groups, versions, resources] = ['apiGroups', 'apiVersions', 'resources'].map((field) =>
    texts(rule[field]),
  )
  const version = apiVersion.split('/').at(-1) ?? ''
  const resource = resourcesOf(kind)
  const isAbout =
    groups?.includes(apiGroupOf(apiVersion)) &&
    versions?.includes(version) &&
    resources?.includes(resource)
  if (!isAbout) return rule
  const left = versions?.filter((each) => each !== version) ?? []
  // A rule about several kinds goes on asking about the others in every version.
  if (resources?.length === 1) return left.length === 0 ? null : { ...rule, apiVersions: left }
  return { ...rule, resources: resources?.filter((each) => each !== resource) }
}

/** The configuration with a webhook that is asked about none of the objects in the version that they have. */
function narrowed({ configuration, webhook, objects }: Denied): WrittenObject {
  const webhooks = webhooksOf(configuration).map((each) =>
    each['name'] === webhook
      ? {
          ...each,
          rules: objects.reduce<readonly Json[]>(
            (rules, object) =>
              rules.map((rule) => without(rule, object)).filter((rule) => rule !== null),
            list(each['rules']).map(record),
          ),
        }
      : each,
  )
  return { ...tidied(configuration), webhooks }
}

function deniedIn(intent: ApplyIntent, view: FleetView, webhook: string): Denied | null {
  const live = listedObjects(view, intent.cluster)
  const configuration = live
    .filter(({ kind }) => kind.endsWith('WebhookConfiguration'))
    .map((object) => object as WrittenObject)
    .find((each) => webhooksOf(each).some(({ name }) => name === webhook))
  const of = configuration && webhooksOf(configuration).find(({ name }) => name === webhook)
  if (!configuration || !of) return null
  const objects = changesOf(intent, view)
    .filter(({ kind }) => kind !== 'same')
    .filter(({ object, kind }) =>
      isAsked({ name: webhook, of }, object, kind === 'make' ? 'CREATE' : 'UPDATE', live),
    )
    .map(({ object }) => object)
  return objects.length === 0 ? null : { configuration, webhook, objects }
}

/** Changes after which a webhook that has refused objects is not asked about them any more. */
export function deniedAnswers(
  intent: ApplyIntent,
  view: FleetView,
  failure: Failure,
): readonly Answer[] {
  const denied =
    failure.reason === 'webhook-denies'
      ? deniedIn(intent, view, text(failure.params['webhook']))
      : null
  if (!denied) return []
  const versions = [
    ...new Set(denied.objects.map(({ kind, apiVersion }) => `${kind} of ${apiVersion}`)),
  ]
  return [
    {
      ...said('denied.ask-no-more', {
        configuration: denied.configuration.metadata.name,
        versions,
      }),
      change: {
        kind: 'manifest.apply',
        intent: {
          cluster: intent.cluster,
          text: `${JSON.stringify(narrowed(denied), null, 2)}\n`,
        },
      },
      goesIn: (after) => deniedIn(intent, after, denied.webhook) === null,
    },
  ]
}
