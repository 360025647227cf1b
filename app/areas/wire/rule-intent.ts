/** What is asked for when a rule of a firewall is made or changed. */
import type { FirewallRuleView } from '~/core/fleet'
import { unlessEmpty } from './unless-empty'

export interface TypedRule {
  readonly name: string
  readonly priority: number
  readonly direction: 'in' | 'out'
  readonly action: 'allow' | 'deny'
  readonly from: readonly string[]
  readonly to: readonly string[]
  readonly protocol: 'tcp' | 'udp' | 'sctp' | 'any'
  readonly ports: readonly string[]
}

/**
 * The intent of `wire.firewall`. A rule that is changed keeps what the form does not show: that it is off, and for which
 * members it holds. Under another name it takes the place of the one it was.
 */
export function ruleIntent(site: string, rule: TypedRule, before: FirewallRuleView | null) {
  return {
    site,
    put: [
      {
        ...(before?.members === undefined ? {} : { members: before.members }),
        ...(before?.enabled === false ? { enabled: false } : {}),
        ...rule,
        from: unlessEmpty(rule.from),
        to: unlessEmpty(rule.to),
        ports: unlessEmpty(rule.ports),
      },
    ],
    ...(before && before.name !== rule.name ? { remove: [before.name] } : {}),
  }
}
