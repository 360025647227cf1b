/** The sentences of this area, by the code of what they tell. */
import { sentences } from '~/core/contract/said'
import { countText, listText } from '~/core/units'

export const said = sentences({
  'case.opened': (p: { id: string; symptom: string }) => `case ${p.id} opened: ${p.symptom}`,
  'case.closed': (p: { id: string; by: string }) => `case ${p.id} closed: ${p.by}`,
  'case.healed-by': (p: { change: string; title: string }) =>
    `${p.change} (${p.title}) ended before the symptom went`,
  'case.healed-itself': () => 'the symptom has gone; no change was made to it meanwhile',
  'case.turned': (p: { healed: readonly string[]; next: string }) =>
    `Over: ${listText(p.healed, 4)}. What is left: ${p.next}`,
  'case.none': (p: { id: string }) => `There is no case ${p.id}.`,
  'case.well': (p: { about: string }) => `${p.about} is well: nothing speaks for a case.`,
  'case.unknown': (p: { about: string }) => `Nothing is known of ${p.about}.`,
  'drill.none': (p: { name: string }) => `There is no drill ${p.name}.`,
  'drill.other': (p: { title: string }) =>
    `“${p.title}” is under way. Mend it or give it up first.`,
  'drill.nothing-on': () => 'No drill is under way.',
  'drill.no-hint': () => 'There are no more hints.',
  'drill.hint': (p: { title: string; hint: string }) => `hint for “${p.title}”: ${p.hint}`,
  'run-through.none': (p: { number: string }) => `There is no drill ${p.number} that has ended.`,
  'run-through.named': (p: { cause: string; isRight: boolean }) =>
    `named ${p.cause}: ${p.isRight ? 'right' : 'not it'}`,
  'drill.ended': (p: { title: string; state: string; score: number }) =>
    `drill “${p.title}” ${p.state === 'mended' ? 'mended' : 'given up'}, ${p.score} of 100`,
  'case.no-log': (p: { node: string }) =>
    `${p.node} cannot be looked into: there is no such node, or its machine is off.`,
  'probe.none': (p: { id: string }) => `There is nothing more to look at for ${p.id}.`,
  'probe.read': (p: { probe: string; lines: number; cause: string | null; share: number }) =>
    `Looked (${p.probe}): ${countText(p.lines, 'line')}. ${
      p.cause === null ? 'The symptom has gone.' : `${p.cause}, ${Math.round(100 * p.share)} %.`
    }`,
  'run.halted': (p: { id: string; label: string; direction: 'on' | 'back' }) =>
    `${p.id} (${p.label}) has halted${p.direction === 'back' ? ' on its way back' : ''}`,
  'run.goes-on': (p: { goesOn: boolean }) =>
    p.goesOn
      ? 'the run goes on with it from where it halted'
      : 'proven by the fleet without what the run has taken',
  'run.ended': (p: { id: string; state: string }) => `${p.id} is ${p.state}`,
  'finding.stands': (p: { id: string; label: string; level: string }) =>
    `${p.id} (${p.label}) meets a ${p.level}`,
  'finding.clears': (p: { level: string }) => `computed again with it, the ${p.level} is gone`,
  'case.subjects': (p: { subjects: number }) => countText(p.subjects, 'thing'),
})
