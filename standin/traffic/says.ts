/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../core/contract/said'
import { countText, numberText } from '../../core/units'

export const said = sentences({
  // reach
  stopped: (p: { at: string; by: string; destination: string }) => {
    switch (p.at) {
      case 'firewall-out':
      case 'firewall-in':
        return `${p.by === '' ? 'no rule lets it' : `rule ${p.by} stops it`} ${p.at === 'firewall-out' ? 'out' : 'in'}, on the way to ${p.destination}`
      case 'route':
        return `no route to ${p.destination}`
      case 'acceptance':
        return `${p.by} does not take it`
      case 'way-back':
        return `no way back from ${p.destination}`
      default:
        return `${p.at}${p.by === '' ? '' : ` ${p.by}`}, on the way to ${p.destination}`
    }
  },

  // verbs
  'route-gone': (p: { route: string; cluster: string }) =>
    `There is no route ${p.route} in ${p.cluster}.`,
  'does-not-exist': () => 'does not exist',
  guard: (p: { services: readonly string[]; counted: string; percent: string }) =>
    `${p.services.join(', ')}: ${p.counted}, more than the ${p.percent} % allowed.`,

  // webhooks
  'webhook-not-reached': (p: { webhook: string; url: string; failed: string }) =>
    `Internal error occurred: failed calling webhook "${p.webhook}": failed to call webhook: Post "${p.url}": ${p.failed}`,

  'webhook-denies': (p: { webhook: string; kind: string; apiVersion: string }) =>
    `admission webhook "${p.webhook}" denied the request: no kind "${p.kind}" is registered for version "${p.apiVersion}"`,

  // fronts
  'offers-no-virtual': (p: { site: string }) => `${p.site} offers no virtual addresses`,
  'not-pool': (p: { asked: string; pool: string }) => `${p.asked} is not in the pool ${p.pool}`,
  taken: (p: { asked: string }) => `${p.asked} is taken`,
  'pool-full': (p: { pool: string }) => `the pool ${p.pool} is full`,
  'allows-load-balancers': (p: { site: string; quotaBalancers: number }) =>
    `${p.site} allows ${countText(p.quotaBalancers, 'load balancer')}; all are in use`,
  'calls-failed': (p: { failures: number; calls: number; seconds: number; percent: string }) =>
    `${numberText(p.failures)} of ${numberText(p.calls)} calls failed in ${p.seconds} s (${p.percent} %)`,

  // verbs
  'nodes-told': (p: { nodesCount: number; keepSource: string }) =>
    `${countText(p.nodesCount, 'node')} told: ${p.keepSource}`,

  // verbs
  'rules-force-them': (p: { firewallCount: number; site: string; on: number }) =>
    `${countText(p.firewallCount, 'rule')} in force at ${p.site}, ${p.on} of them on`,
  'translations-force': (p: { translationsCount: number; site: string }) =>
    `${p.translationsCount} translations in force at ${p.site}`,
  'weights-set': (p: { weights: readonly string[] }) => p.weights.join(', '),
})
