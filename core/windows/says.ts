/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { countText, listText } from '../units'

export const said = sentences({
  'window.unreadable': (p: { problem: string }) => p.problem,
  'window.cluster-missing': (p: { cluster: string }) => `There is no cluster ${p.cluster}.`,
  'window.covers-none': (p: { labels: readonly string[] }) =>
    p.labels.length === 0
      ? 'It names no cluster and no label: it covers nothing.'
      : `No cluster is labelled ${listText(p.labels)}: it covers nothing now.`,
  'window.never': () => 'It is never again: its rule yields no time within two years.',
  'window.next': (p: { next: readonly string[]; clusters: readonly string[] }) =>
    `Next ${listText(p.next)}; covers ${listText(p.clusters, 6)}.`,
  'window.computed': (p: { rule: string; zone: string }) =>
    `${p.rule === '' ? 'once' : p.rule}, in ${p.zone}`,
  'window.missing': (p: { window: string; windows: readonly string[] }) =>
    `There is no window ${p.window}. There are: ${listText(p.windows, 6)}.`,
  'window.leaves': (p: { clusters: readonly string[] }) =>
    `${listText(p.clusters, 6)} would have no window any more: upgrades have nowhere to be laid.`,
  'window.covered-by': (p: { windows: number }) => `${countText(p.windows, 'window')} kept`,
})
