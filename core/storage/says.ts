/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { bytesText, listText } from '../units'

export const said = sentences({
  'claim.volume-missing': (p: { claim: string; volume: string }) =>
    `${p.claim} names the volume ${p.volume}, which does not exist.`,
  'claim.volume-unfit': (p: { claim: string; volume: string }) =>
    `${p.claim} names the volume ${p.volume}, which is taken or does not fit it.`,
  'claim.topology': (p: { claim: string; class: string; node: string }) =>
    `${p.class} makes no volume that ${p.node} could reach, so ${p.claim} waits. Run the pod in a zone of the class.`,
  'claim.no-room': (p: { claim: string; class: string; zone: string | null; bytes: number }) =>
    `${p.claim} asks for ${bytesText(p.bytes)}; ${p.class} has no store with so much room${p.zone === null ? '' : ` in ${p.zone}`}.`,
  'claim.out-of-reach': (p: { claim: string; volumes: readonly string[]; node: string }) =>
    `${listText(p.volumes)} would fit ${p.claim}, but ${p.node} cannot reach ${p.volumes.length === 1 ? 'it' : 'them'}.`,
  'claim.access-mode': (p: {
    claim: string
    modes: readonly string[]
    volumes: readonly string[]
  }) =>
    `${p.claim} asks for ${listText(p.modes)}, which ${listText(p.volumes)} ${p.volumes.length === 1 ? 'does' : 'do'} not offer.`,
  'claim.no-volume': (p: { claim: string; class: string; bytes: number }) =>
    `No free volume ${p.class === '' ? 'without a class' : `of ${p.class}`} fits ${p.claim} (${bytesText(p.bytes)}), and none is made for it.`,
  'claim.class-missing': (p: { claim: string; class: string }) =>
    `${p.claim} names the class ${p.class}, which does not exist.`,
  'claim.no-class': (p: { claim: string }) =>
    `${p.claim} names no class, there is no default class, and no volume without a class fits it.`,
  'claim.first-consumer': (p: { claim: string; class: string }) =>
    `${p.class} waits for the first pod that uses ${p.claim}.`,
})
