/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { countText, listText, timesText } from '../units'

export const said = sentences({
  // schedule
  gated: (p: { gates: readonly string[] }) =>
    `gated: it waits until ${listText(p.gates)} ${p.gates.length === 1 ? 'is' : 'are'} taken off.`,
  'no-node-fits': (p: { tally: string; victims: readonly string[]; node: string }) =>
    `${p.tally}${p.victims.length === 0 ? '' : ` Evicting ${listText(p.victims, 3)} from ${p.node} would make room.`}`,

  // drain
  'no-controller': () => 'It has no controller: nothing would make it anew.',
  'local-data': (p: { local: readonly string[] }) =>
    `Its emptyDir ${listText(p.local)} would be lost. Allow the loss of local data, or keep the data elsewhere.`,
  'no-room': (p: { reasons: string }) =>
    p.reasons === '' ? 'There is no other node.' : `No other node takes it: ${p.reasons}.`,
  'host-path-stays': (p: { paths: readonly string[]; from: string }) =>
    `What it keeps at ${listText(p.paths)} stays on ${p.from}.`,

  // right-size
  'memory-kills': (p: { memoryKills: number }) =>
    `killed ${timesText(p.memoryKills)} for exceeding its memory limit`,
  throttled: (p: { percent: number }) => `held back by its CPU limit ${p.percent} % of the time`,
  'above-request': (p: { what: readonly string[] }) =>
    `uses more ${listText(p.what)} than it asks for`,
  'below-request': (p: { what: readonly string[] }) =>
    `asks for more ${listText(p.what)} than it uses`,
  'no-figures': () => 'no figures yet: it has not run',
  'few-figures': (p: { minutes: number }) =>
    `ran for ${countText(p.minutes, 'minute')}: an hour is needed before anything is proposed`,
  fits: () => 'fits',

  // budgets
  'budget.several': (p: { budgets: readonly string[] }) =>
    `It is under ${p.budgets.length} disruption budgets (${p.budgets.join(', ')}); the API evicts no pod under more than one.`,
  'budget.not-ready': (p: { budget: string; desired: number; healthy: number }) =>
    `Disruption budget ${p.budget} lets a pod that is not ready go only while ${p.desired} are healthy; ${p.healthy} are.`,
  'budget.never': (p: { budget: string; desired: number; expected: number }) =>
    `Disruption budget ${p.budget} can never let one go: it asks for ${p.desired} healthy of ${p.expected}.`,
  'budget.exhausted': (p: { budget: string; desired: number; healthy: number; expected: number }) =>
    `Disruption budget ${p.budget} asks for ${p.desired} healthy; ${p.healthy} of ${p.expected} are.`,
})
