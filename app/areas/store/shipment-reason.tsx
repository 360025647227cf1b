/** What a shipment comes to, what its site has already, and the way to pack it. */
import { countText, decimalBytesText, durationText, listText } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'
import type { ShipmentData } from './shipment-data'

/** The draft of what is shown: the same choice, under the first name that is free. */
function sendIntent(data: ShipmentData) {
  const taken = data.packed.map(({ name }) => name)
  const wanted = `${data.site}-${data.release ?? 'images'}`
  let name = wanted
  for (let nth = 2; taken.includes(name); nth++) name = `${wanted}-${nth}`
  return {
    shipment: name,
    site: data.site,
    release: data.release,
    channel: data.channel,
    images: data.images,
    severity: data.severity === '' ? null : data.severity,
    unsigned: data.unsigned,
  }
}

const packIntent = (data: ShipmentData) => ({
  ...sendIntent(data),
  media: data.media.map(({ name, count }) => ({ name, count: count ?? 0 })),
})

function headText(site: string, { bytes, drives }: ShipmentData['shipment']): string {
  if (bytes === 0) return `${site} has all of it`
  return drives === 0
    ? `${decimalBytesText(bytes)}, and no drives for it`
    : `${decimalBytesText(bytes)} on ${countText(drives, 'drive')}`
}

export function ShipmentReason({ data }: { readonly data: ShipmentData }) {
  const { shipment, stock, release, site } = data
  const addOns = Object.entries(stock.addOns)
  return (
    <>
      <h2>{headText(site, shipment)}</h2>
      <dl className="facts">
        <div>
          <dt>from the packing desk</dt>
          <dd>{shipment.seconds === null ? 'no link' : durationText(shipment.seconds)}</dd>
        </div>
        <div>
          <dt>disk at the far end</dt>
          <dd>
            {decimalBytesText(shipment.diskBytes)}
            {data.free === null ? '' : ` of ${decimalBytesText(data.free)} free`}
          </dd>
        </div>
        <div>
          <dt>no packing needs fewer than</dt>
          <dd>{countText(shipment.lowerBound, 'drive')}</dd>
        </div>
        <div>
          <dt>images it could run then</dt>
          <dd>{shipment.images}</dd>
        </div>
      </dl>
      {shipment.bytes > 0 && data.isReached ? (
        <div className="acts">
          <DraftChange kind="shipment.send" intent={sendIntent(data)} variant="contained">
            Send it over the link
          </DraftChange>
        </div>
      ) : null}
      {shipment.bytes > 0 && shipment.drives > 0 && !data.isReached ? (
        <div className="acts">
          <DraftChange kind="shipment.pack" intent={packIntent(data)} variant="contained">
            {`Pack ${countText(shipment.drives, 'drive')}`}
          </DraftChange>
        </div>
      ) : null}
      <h3>What {site} has</h3>
      {stock.release === null ? (
        <p className="soft">No cluster runs there: the whole release is carried.</p>
      ) : (
        <p className="soft">
          release <span className="mono">{stock.release}</span> whole
          {addOns.length === 0
            ? ''
            : `, and of add-ons ${listText(
                addOns.map(([name, version]) => `${name} ${version}`),
                8,
              )}`}
          {release === null ? '' : `. It should reach ${release}.`}
        </p>
      )}
    </>
  )
}
