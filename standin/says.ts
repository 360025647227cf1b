/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../core/contract/said'

export const said = sentences({
  unavailable: (p: { site: string }) => `The machine service of ${p.site} answered “unavailable”.`,
  'service-unavailable': (p: { ticket: string }) =>
    `machine service: 503, service unavailable for this account, request ${p.ticket}`,
  'not-created': () => 'was not created',
  'machine-died': (p: { machine: string }) => `${p.machine} died during its first boot.`,
  'root-not-mounted': () =>
    'console: root file system could not be mounted, read error at sector 2,048',
  'stopped-booting': () => 'stopped 40 s after power-on',
})
