/** The sentences of this area, by the code of what they tell. */
import { sentences } from '~/core/contract/said'

export const said = sentences({
  answered: (p: { status: number }) => `it answered ${p.status}`,
  redirects: (p: { status: number }) =>
    `it answered ${p.status}, which leads elsewhere: that is not followed. Enter where it leads.`,
  inside: (p: { address: string }) =>
    `${p.address} is an address inside, and no range of them is open to notices (--notify-range)`,
  slow: (p: { seconds: number }) => `no answer within ${p.seconds} s`,
  unreached: (p: { host: string; code: string }) => `${p.host} is not reached (${p.code})`,
  'receiver-none': (p: { name: string }) => `Nobody called ${p.name} is told.`,
  'receiver-secret': () => 'Give a secret of at least 16 characters: bodies are signed with it.',
  'receiver-unopened': () => 'its secret does not open with the key that is here; enter it again',
  'receiver-many': (p: { most: number }) => `Up to ${p.most} are told. Remove one first.`,
  'receiver-url': () => 'Write where to send as http:// or https://, without a user name in it.',
  'receiver-kept': (p: { name: string; url: string }) => `${p.name} is told, at ${p.url}`,
  'receiver-removed': (p: { name: string }) => `${p.name} is not told any more`,
  'delivery-none': (p: { id: number }) => `There is no delivery ${p.id}.`,
  tested: () => 'this is a test: nothing has happened',
})
