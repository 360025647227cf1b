/** What people set on the ways of a site: its firewall, translations, kept ranges, the weights of a route; and traffic watched. */
import { permanent } from '../failures'
import { answering } from '../cluster/api'
import { list, record as fields, text } from '../cluster/manifests'
import { record } from '../cluster/pod-events'
import type { Behaviour } from '../engine/sim'
import { onSite } from '../sites/ground'
import type { Manifest } from '../world'
import { said } from './says'

export const firewallSet = onSite<'firewall.set'>(7, (_sim, site, op) => {
  site.firewall = op.args.rules
  const on = site.firewall.filter((rule) => rule.enabled !== false).length
  return said('rules-force-them', { firewallCount: site.firewall.length, site: site.name, on })
})

export const translationsSet = onSite<'translations.set'>(7, (_sim, site, op) => {
  site.translations = op.args.translations
  return said('translations-force', {
    translationsCount: site.translations.length,
    site: site.name,
  })
})

export const keepSourceSet: Behaviour<'keepsource.set'> = {
  stages: [
    {
      seconds: 9,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        cluster.keepSource = op.args.ranges
        sim.touchCluster(cluster.name)
        sim.touchSite(cluster.site)
        record(
          sim,
          cluster,
          'Normal',
          'KeepSource',
          `cluster/${cluster.name}`,
          `pods keep their addresses towards ${cluster.keepSource.join(', ') || 'nobody'}`,
        )
        return said('nodes-told', {
          nodesCount: cluster.nodes.length,
          keepSource: cluster.keepSource.join(', ') || 'none',
        })
      },
    },
  ],
}

const routeNamed = (objects: readonly Manifest[] | undefined, key: string): Manifest | undefined =>
  (objects ?? []).find(
    (object) =>
      object.kind === 'HTTPRoute' &&
      `${object.metadata.namespace ?? 'default'}/${object.metadata.name}` === key,
  )

/** Sets the weights of one rule’s backends; others stay. */
export const routeWeights: Behaviour<'route.weights'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const route = routeNamed(cluster.objects, op.args.route)
        if (!route)
          return permanent(
            'route-gone',
            said('route-gone', { route: op.args.route, cluster: cluster.name }),
            {
              about: `httproute/${cluster.name}/${op.args.route}`,
              ...said('does-not-exist'),
            },
          )
        const weights = fields(op.args.weights)
        const at = op.args.rule
        const rules = list(fields(route['spec'])['rules']).map((rule, i) =>
          i === at
            ? {
                ...fields(rule),
                backendRefs: list(fields(rule)['backendRefs']).map((ref) =>
                  typeof weights[text(fields(ref)['name'])] === 'number'
                    ? { ...fields(ref), weight: weights[text(fields(ref)['name'])] }
                    : ref,
                ),
              }
            : rule,
        )
        cluster.objects = (cluster.objects ?? []).map((object) =>
          object === route ? { ...route, spec: { ...fields(route['spec']), rules } } : object,
        )
        sim.touchCluster(cluster.name)
        return said('weights-set', {
          weights: Object.entries(weights).map(([name, weight]) => `${name} ${String(weight)}`),
        })
      },
    },
  ],
}

/** Watches what services answer for a while; too many failures are a failure. */
export const trafficWatch: Behaviour<'traffic.watch'> = {
  stages: [
    {
      seconds: 0,
      // Exactly as long as asked: a guard is a span of the clock.
      then: (sim, op) =>
        sim.now < op.startedAt + op.args.seconds * 1000
          ? { again: (op.startedAt + op.args.seconds * 1000 - sim.now) / 1000 }
          : undefined,
    },
    {
      seconds: 0,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const services = op.args.services
        const since = sim.now - op.args.overSeconds * 1000
        let calls = 0
        let failures = 0
        for (const [key, spans] of Object.entries(cluster.traffic ?? {})) {
          const to = (key.split(' ')[1] ?? '').replace(/:\d+$/, '')
          if (!services.includes(to)) continue
          for (const span of spans) {
            const seconds =
              Math.max(0, Math.min(sim.now, span.until ?? sim.now) - Math.max(since, span.from)) /
              1000
            calls += span.perSecond * seconds
            failures += span.failing * seconds
          }
        }
        const share = calls === 0 ? 0 : failures / calls
        const counted = said('calls-failed', {
          failures: Math.round(failures),
          calls: Math.round(calls),
          seconds: op.args.overSeconds,
          percent: (100 * share).toFixed(1),
        })
        const max = op.args.failures
        return share > max
          ? permanent(
              'guard',
              said('guard', {
                services,
                counted: counted.says,
                percent: (100 * max).toFixed(1),
              }),
              {
                about: `service/${cluster.name}/${services[0] ?? ''}`,
                ...counted,
              },
            )
          : counted
      },
    },
  ],
}
