/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'

const inPart = (part: string): string => (part === '' ? '' : ` ${part}`)

export const said = sentences({
  'not-here': (p: { cluster: string }) =>
    `This cannot be done in ${p.cluster}: Gyrarch reaches its API alone, not the machines, networks and disks under it. Whoever runs it can.`,
  'reached-only': (p: { address: string }) => `reached at ${p.address}, and nowhere else`,

  'label.key': (p: { key: string }) =>
    `“${p.key}” is no key of a label: up to 63 letters, digits, dots, dashes and underscores, after a domain and a slash if it has one.`,
  'label.value': (p: { key: string; value: string }) =>
    `“${p.value}” is no value of label ${p.key}: at most 63 letters, digits, dots, dashes and underscores.`,
  'labels.open-api': () => 'labels as the open API takes them',

  'reach.missing': () =>
    'Choose how Gyrarch gets there: inbound, with an access file, or outbound.',
  'reach.kind': (p: { kind: string }) =>
    `“${p.kind}” is no way there: it is inbound (Gyrarch dials it) or outbound (its agent dials Gyrarch).`,
  'reach.relay': () =>
    'Its agent dials the relay at the address in its manifest: see that the relay is reached from there.',

  'file.missing': () => 'The access file is missing: drop it, or paste what is in it.',
  'file.too-long': (p: { limit: number }) =>
    `That is longer than ${p.limit} characters: take an access file of fewer clusters.`,
  'file.unreadable': () =>
    'That is no access file: it does not read as one document of YAML or JSON.',
  'file.other-kind': () => 'That is no access file: one says kind: Config.',
  'file.no-context': (p: { part: string }) =>
    p.part === ''
      ? 'Its current-context is not set: choose which of its contexts to use.'
      : `Its current-context ${p.part} is not among its contexts.`,
  'file.no-cluster': (p: { part: string }) =>
    `Its current context leads to cluster${inPart(p.part)}, which is not in the file.`,
  'file.no-user': (p: { part: string }) =>
    `Its current context signs in as user${inPart(p.part)}, who is not in the file.`,
  'file.program': (p: { part: string }) =>
    `It signs in with a program of the machine that wrote it (${p.part}), which Gyrarch does not run. Make one with a token of a service account.`,
  'file.path': (p: { part: string }) =>
    `${p.part} names a file on the machine that wrote it, which Gyrarch does not have. Put what is in it into the access file (${p.part}-data, or token).`,
  'file.no-address': () => 'It has no address of an API that can be read: https://host:port.',
  'file.no-tls': () => 'Its address is not HTTPS: the token would be read on the way.',
  'file.no-sign-in': (p: { part: string }) =>
    `User${inPart(p.part)} has nothing to sign in with: neither a token nor a certificate with its key.`,
  'file.no-certificate': () =>
    'certificate-authority-data is no certificate: it should be one in PEM, encoded in base64.',
  'file.unverified': (p: { address: string }) =>
    `insecure-skip-tls-verify: whoever answers at ${p.address} is believed, and given the token.`,
  'file.proxy': () => 'It names a proxy, which is not used: the API is dialled directly.',
  'file.leads-to': (p: { address: string; context: string }) =>
    `its context ${p.context} leads to ${p.address}`,

  'dismiss.own': (p: { cluster: string }) =>
    `${p.cluster} was raised here, not enrolled: take it down instead.`,
})
