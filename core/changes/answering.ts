/** Whether the API of a cluster takes orders, and what helps where it does not. */
import type { ClusterView, FleetView } from '../fleet'
import { clusterState, objectsHeard, stateContext, yetToStart } from '../fleet'
import { quoted, ref, saidOf } from '../contract'
import type { RawFinding } from './change'
import { caution, stop } from './finding'
import { said } from './says'

/** A stopped cluster is started first; one whose certificates have ended has them renewed; else there is nothing to offer. */
export function answering(cluster: ClusterView, view: FleetView): readonly RawFinding[] {
  const { name } = cluster
  const seen = { source: name, at: cluster.observedAt }
  if (cluster.resting)
    return [
      stop(
        'cluster.rests',
        'cluster',
        said('cluster.rests', { cluster: name }),
        [{ ...said('rests-since', { since: cluster.restingSince ?? '' }), ...seen }],
        [{ says: `Start ${name}`, change: { kind: 'cluster.start', intent: { cluster: name } } }],
      ),
    ]
  if (cluster.reach && !cluster.reach.heard)
    return [
      stop('cluster.answers', 'cluster', said('not-heard', { cluster: name }), [
        { ...quoted('reach', cluster.reach.says), ...seen },
      ]),
    ]
  if (cluster.apiAnswers) return []
  const expired = cluster.certificatesUntil !== null && cluster.certificatesUntil <= view.now
  return [
    {
      level: 'stop',
      rule: 'cluster.answers',
      about: ref('cluster', name),
      ...(expired
        ? said('certificates-ended', {
            cluster: name,
            certificatesUntil: cluster.certificatesUntil?.slice(0, 10) ?? '',
          })
        : said('api-silent', { cluster: name })),
      because: [
        {
          ...(expired
            ? said('certificates-until', { certificatesUntil: cluster.certificatesUntil ?? '' })
            : saidOf(clusterState(cluster, stateContext(view)))),
          ...seen,
        },
      ],
      offers: expired
        ? [
            {
              says: `Renew the certificates of ${name}`,
              change: { kind: 'cluster.renew-certificates', intent: { cluster: name } },
            },
          ]
        : [],
    },
  ]
}

/** The same for who must see what the cluster lists: of one that is only about to start that is not known yet. */
export function listing(cluster: ClusterView, view: FleetView): readonly RawFinding[] {
  const silent = answering(cluster, view)
  if (silent.length > 0 || objectsHeard(view, cluster.name) !== undefined) return silent
  return yetToStart(view, cluster.name)
    ? [caution('cluster.unseen', 'cluster', said('unseen', { cluster: cluster.name }))]
    : [
        {
          level: 'stop',
          rule: 'cluster.answers',
          about: ref('cluster', cluster.name),
          ...said('api-silent', { cluster: cluster.name }),
          because: [{ ...said('no-answer'), source: cluster.name, at: cluster.observedAt }],
        },
      ]
}
