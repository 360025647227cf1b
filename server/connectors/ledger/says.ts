/** What the register tells of its commands. */
import { sentences } from '~/core/contract'
import { countText, listText } from '~/core/units'

export const said = sentences({
  'cluster.entered': (p: { cluster: string; pods: string; services: string }) =>
    `${p.cluster} entered with pods ${p.pods} and services ${p.services}`,
  'cluster.struck': (p: { cluster: string }) => `${p.cluster} struck`,
  'ranges.entered': (p: { entered: number; struck: number }) =>
    `${p.entered} entered, ${p.struck} struck`,
  'pool.scales': (p: { pool: string; min: number; max: number }) =>
    `${p.pool} scales between ${p.min} and ${p.max}`,
  'pool.scales-no-more': (p: { pool: string }) => `${p.pool} no longer scales by itself`,
  'pool.entered': (p: { pool: string; size: string }) => `pool ${p.pool} of ${p.size} entered`,
  'pool.struck': (p: { pool: string }) => `pool ${p.pool} struck`,
  'labels.set': (p: { cluster: string; count: number; guarded: boolean }) =>
    `${p.cluster} has ${countText(p.count, 'label')}${p.guarded ? ' and is guarded' : ''}`,
  'autoscale.on': (p: { cluster: string; order: string }) =>
    `pools of ${p.cluster} scale by themselves, ${p.order}`,
  'autoscale.off': (p: { cluster: string }) => `pools of ${p.cluster} stay as they are`,
  'prices.entered': (p: { entered: number }) => `${countText(p.entered, 'price')} entered`,
  'rest.windows': (p: { cluster: string; windows: number; zone: string }) =>
    `${p.cluster} rests in ${countText(p.windows, 'window')}, in ${p.zone}`,
  'rest.none': (p: { cluster: string }) => `${p.cluster} no longer rests by itself`,
  'contact.entered': (p: { site: string; address: string }) =>
    `machines at ${p.site} reach Gyrarch at ${p.address}`,
  'contact.forgotten': (p: { site: string }) => `no address is kept for ${p.site}`,
  'expectations.kept': (p: { names: readonly string[] }) =>
    `expected from now on: ${listText(p.names, 3)}`,
  'expectations.forgotten': (p: { names: readonly string[] }) =>
    `no longer expected: ${listText(p.names, 3)}`,
  'window.kept': (p: { window: string }) => `window ${p.window} kept`,
  'window.struck': (p: { window: string }) => `window ${p.window} struck`,
  'snapshots.scheduled': (p: { volume: string; keep: number }) =>
    `snapshots of ${p.volume} are taken by themselves, ${p.keep} kept`,
  'snapshots.never': (p: { volume: string }) => `snapshots of ${p.volume} are taken by hand alone`,
  'shipment.entered': (p: { shipment: string; drives: number }) =>
    `${p.shipment} entered with ${countText(p.drives, 'drive')}`,
  'shipment.struck': (p: { shipment: string }) => `${p.shipment} struck`,
  'join.called': (p: { at: string }) => `called at ${p.at}`,
  'join.forgotten': () => 'no longer waited for',
  'verb.unknown': (p: { verb: string }) => `The register has no verb ${p.verb}.`,
})
