/** One tag of a repository: who vouches for it, what is found in it, what it is made of, and where it runs. */
import type { Severity } from '~/core/shipment'
import { countText, decimalBytesText } from '~/core/units'
import type { RegistryImage } from '~/server/registries/images'
import { LayerStrip, type StripLayer } from '../../drawings/layer-strip'
import { CopyButton } from '../../parts/copy-button'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { RowFacts } from './row-facts'

export const stateOfSeverity: Readonly<Record<Severity, 'resting' | 'strained' | 'broken'>> = {
  low: 'resting',
  medium: 'strained',
  high: 'broken',
  critical: 'broken',
}

const vouched: Readonly<
  Record<RegistryImage['signature']['state'], { readonly says: string; readonly isWell: boolean }>
> = {
  signed: { says: 'signed by', isWell: true },
  withdrawn: { says: 'signed with a key that was withdrawn,', isWell: false },
  unknown: { says: 'signed by nobody that is known', isWell: false },
  unsigned: { says: 'not signed', isWell: false },
  broken: { says: 'its signature does not hold', isWell: false },
}

export interface TagImage extends Omit<RegistryImage, 'layers'> {
  readonly layers: readonly StripLayer[]
}

const runText = ({ workload, pods, moved }: RegistryImage['runs'][number]): string =>
  `${workload}, ${countText(pods, 'pod')}${moved === 0 ? '' : `, ${moved} of them from before the tag moved`}`

/** Where a doubtful image runs: the namespaces that a rule could keep it out of. */
function namespacesOf({ runs, signature, findings }: TagImage) {
  const isGrave = findings.some(({ severity }) => severity === 'high' || severity === 'critical')
  if (signature.state === 'signed' && !isGrave) return []
  const places = new Map(
    runs.map(({ cluster, workload }) => {
      const namespace = workload.split('/')[0] ?? ''
      return [`${cluster} ${namespace}`, { cluster, namespace }] as const
    }),
  )
  return [...places.values()].slice(0, 2)
}

/** The rule that would keep an image out: for its signature, or for the gravest of its findings. */
const ruleFor = ({ signature, findings }: TagImage, cluster: string, namespace: string) => ({
  cluster,
  namespace,
  signed: signature.state !== 'signed',
  below: signature.state === 'signed' ? (findings[0]?.severity ?? null) : null,
})

export function TagFacts({
  image,
  registry,
  address,
}: {
  readonly image: TagImage
  readonly registry: string
  readonly address: string
}) {
  const { says, isWell } = vouched[image.signature.state]
  const name = `${image.repository}:${image.tag}`
  return (
    <div>
      <h3>
        <span className="mono">:{image.tag}</span>
      </h3>
      <p>
        <StateGlyph state={isWell ? 'well' : 'strained'} /> {says} {image.signature.by ?? ''}
      </p>
      {image.findings.map((finding) => (
        <p key={finding.id}>
          <StateGlyph state={stateOfSeverity[finding.severity]} /> {finding.severity}:{' '}
          <span className="mono">{finding.id}</span> in {finding.package},{' '}
          {finding.mendedIn === null ? 'nothing mends it yet' : `mended in ${finding.mendedIn}`}
        </p>
      ))}
      <LayerStrip layers={image.layers} />
      <RowFacts
        rows={[
          { key: 'digest', value: `${image.digest.slice(0, 19)}…` },
          {
            key: 'size',
            value: `${decimalBytesText(image.bytes)} in ${countText(image.layers.length, 'layer')}`,
          },
          ...image.runs.map((run) => ({ key: run.cluster, value: runText(run) })),
        ]}
      />
      <div className="acts">
        <CopyButton text={() => `${address}/${image.repository}@${image.digest}`}>
          Copy its address
        </CopyButton>
        {isWell ? null : (
          <DraftChange kind="image.sign" intent={{ registry, image: name }}>
            Sign it
          </DraftChange>
        )}
        {namespacesOf(image).map(({ cluster, namespace }) => (
          <DraftChange
            key={`${cluster} ${namespace}`}
            kind="registry.rule"
            intent={ruleFor(image, cluster, namespace)}
          >
            {`Hold ${isWell ? 'findings like this' : 'unsigned images'} back in ${namespace} (${cluster})`}
          </DraftChange>
        ))}
        <DraftChange kind="image.withdraw" intent={{ registry, image: name }} variant="text">
          Withdraw it
        </DraftChange>
      </div>
    </div>
  )
}
