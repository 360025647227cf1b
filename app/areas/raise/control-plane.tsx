/** Where the control plane of a drafted cluster runs, and on how many machines. */
import { useContext } from 'react'
import type { SiteView } from '~/core/fleet'
import { defaultControlPlaneSize, type RaiseIntent } from '~/core/provisioning'
import { promiseText } from '~/core/units'
import { CheckIn, NumberIn, SelectIn, SheetContext } from './fields'

export function ControlPlane({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView | undefined
}) {
  const { set } = useContext(SheetContext)
  return (
    <section aria-labelledby="sheet-plane">
      <h2 id="sheet-plane">Control plane</h2>
      <div className="fields">
        <SelectIn
          path="controlPlane.kind"
          label="Kind"
          value={intent.controlPlane.kind}
          options={[
            { value: 'own', says: 'own machines' },
            { value: 'managed', says: 'managed by the cloud' },
          ]}
          onPick={(kind) =>
            set(
              'controlPlane',
              kind === 'managed'
                ? { kind, tier: 'plain' }
                : {
                    kind: 'own',
                    count: site?.kind === 'hall' ? 3 : 1,
                    alsoWorkers: site?.kind === 'edge',
                  },
            )
          }
        />
        {intent.controlPlane.kind === 'own' ? (
          <>
            <NumberIn
              path="controlPlane.count"
              label="Machines"
              value={intent.controlPlane.count}
              max={99}
            />
            {site && site.sizes.length > 0 ? (
              <SelectIn
                path="controlPlane.size"
                label="Size"
                value={intent.controlPlane.size ?? ''}
                options={site.sizes.map((size) => ({ value: size.name, says: size.name }))}
                empty={`smallest, ${defaultControlPlaneSize(site)}`}
                width={160}
              />
            ) : null}
            <CheckIn
              path="controlPlane.alsoWorkers"
              label="Also workers"
              value={intent.controlPlane.alsoWorkers}
            />
          </>
        ) : (
          <SelectIn
            path="controlPlane.tier"
            label="Tier"
            value={intent.controlPlane.tier}
            width={420}
            options={(site?.managedTiers ?? []).map((tier) => ({
              value: tier.tier,
              says: `${tier.tier}, ${tier.hourly === 0 ? 'free' : `${tier.hourly} an hour`}, ${promiseText(tier.availability)}`,
            }))}
          />
        )}
      </div>
    </section>
  )
}
