/** The sentences of this area, by the code of what they tell. */
import { sentences } from '~/core/contract'
import { countText, decimalBytesText, listText } from '~/core/units'

const short = (digest: string): string => digest.slice(0, 19)

export const said = sentences({
  'drive.written': (p: { drive: number; blobs: number; bytes: number }) =>
    `drive ${p.drive} written: ${countText(p.blobs, 'blob')} verified, ${decimalBytesText(p.bytes)} in the file`,
  'drive.erased': (p: { drive: number }) => `drive ${p.drive} erased`,
  'drive.taken': (p: { drive: number; taken: number; already: number }) =>
    p.already === 0
      ? `drive ${p.drive} taken in: ${countText(p.taken, 'blob')} verified`
      : `drive ${p.drive} taken in: ${countText(p.taken, 'blob')} verified, ${p.already} were there`,
  'drive.waits': (p: { drive: number }) => `waits for drive ${p.drive} to be put in`,
  'drive.damaged': (p: { drive: number; blobs: readonly string[] }) =>
    `drive ${p.drive}: ${countText(p.blobs.length, 'blob is', 'blobs are')} damaged: ${listText(p.blobs.map(short), 3)}. The rest is taken; bring ${p.blobs.length === 1 ? 'it' : 'them'} again alone.`,
  'drive.cut-off': (p: { drive: number; missing: number }) =>
    `drive ${p.drive} was cut off: ${countText(p.missing, 'blob is', 'blobs are')} missing. What came is kept; put it in again.`,
  'blobs.sent': (p: { site: string; sent: number; already: number }) =>
    `${countText(p.sent, 'blob')} sent to ${p.site} and verified, ${p.already} were there`,
  'drive.forgotten': () => 'no longer waited for; what came of it stays without a name',
  'shipment.none': (p: { shipment: string }) => `There is no shipment ${p.shipment}.`,
  'registry.none': (p: { site: string }) => `No registry stands at ${p.site}.`,
  'blob.differs': (p: { digest: string }) =>
    `The bytes of ${short(p.digest)} are not those of its digest.`,
  'no-room': (p: { says: string }) => `The drive could not be written: ${p.says}.`,
  'blob.missing': (p: { image: string; digest: string }) =>
    `${p.image} lacks ${short(p.digest)}: put in the drive that holds it.`,
  'signature.wrong': (p: { image: string; state: string }) =>
    `The signature of ${p.image} does not hold: ${p.state}.`,
  'images.entered': (p: { images: number; signed: number; registry: string }) =>
    `${countText(p.images, 'image')} entered in ${p.registry}, ${p.signed} with a signature that verifies`,
  'images.withdrawn': (p: { images: number; registry: string }) =>
    `${countText(p.images, 'image')} taken out of ${p.registry}`,
  'registry.unnamed': (p: { registry: string }) => `There is no registry ${p.registry}.`,
  'image.gone': (p: { image: string }) => `${p.image} is not in the registry any more.`,
  'image.signed': (p: { image: string }) => `${p.image} signed by the release desk`,
  'image.unsigned': (p: { image: string }) => `the signature of ${p.image} taken away`,
  'image.untagged': (p: { image: string }) => `${p.image} withdrawn; its digest stays`,
  'image.tagged': (p: { image: string }) => `${p.image} put back`,
  'repositories.closed': (p: { registry: string; repositories: string }) =>
    `${p.repositories} of ${p.registry} is pulled from and pushed to with a credential alone`,
  'repositories.opened': (p: { registry: string; repositories: string }) =>
    `${p.repositories} of ${p.registry} is open to all`,
  'credential.opened': (p: { name: string; round: number; until: string }) =>
    `${p.name}, round ${p.round}, is valid until ${p.until.slice(0, 10)}`,
  'credential.ended': (p: { name: string; rounds: readonly number[] }) =>
    p.rounds.length === 0
      ? `nothing of ${p.name} to end`
      : `${p.name}: ${countText(p.rounds.length, 'credential')} ended (round ${listText(p.rounds.map(String), 6)})`,
  'credential.reopened': (p: { names: readonly string[] }) =>
    `${listText(p.names, 3) || 'nothing'} as before`,
  'verb.unknown': (p: { verb: string }) => `The packing desk has no verb ${p.verb}.`,
})
