/** The sentences of notices, by the code of what they tell. */
import { sentences } from '../contract/said'
import { countText } from '../units'

const whenText = (day: string, daysLeft: number): string => {
  if (daysLeft < 0) return `ended on ${day}`
  return daysLeft === 0 ? 'ends today' : `ends on ${day}, in ${countText(daysLeft, 'day')}`
}

export const said = sentences({
  'support.ends': (p: { cluster: string; release: string; until: string; daysLeft: number }) =>
    `${p.cluster}: support of ${p.release} ${whenText(p.until, p.daysLeft)}`,
  'pool.lags': (p: { cluster: string; pool: string; behind: number }) =>
    `${p.cluster}: ${p.pool} is ${p.behind} minors behind its control plane`,
  'certificates.end': (p: { cluster: string; day: string; daysLeft: number }) =>
    `${p.cluster}: the certificate of its API ${whenText(p.day, p.daysLeft)}`,
  'credential.ends': (p: { account: string; namespace: string; day: string; daysLeft: number }) =>
    `${p.namespace}: the credential of ${p.account} ${whenText(p.day, p.daysLeft)}`,
})
