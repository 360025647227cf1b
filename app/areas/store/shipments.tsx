/** What is carried to a site without a link: the closure of what it should run, how large, how long, on which drives. */
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { decimalBytesText, countText, listText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Drives } from '../../drawings/drives'
import { Page } from '../../frame/page'
import { AskForm, Hidden } from '../../kit/ask-form'
import { Choice } from '../../kit/choice'
import { Empty } from '../../kit/empty'
import { Notice } from '../../kit/notice'
import { SeveralField } from '../../kit/several-field'
import { NumberField } from '../../kit/number-field'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { PackedReason, PackedShipments } from './packed-shipments'
import { shipmentData, type ShipmentData } from './shipment-data'
import { ShipmentReason } from './shipment-reason'
import { StoreTabs } from './tabs'
import type { Route } from './+types/shipments'
import './store.css'

export const meta: Route.MetaFunction = () => [{ title: 'Shipments · Gyrarch' }]

export const loader = ({ request, context }: Route.LoaderArgs) =>
  shipmentData(context.get(gyrarchContext), request)

type Data = ShipmentData
type Item = Data['items'][number]

const whyText = (item: Item): string => {
  if (item.why === 'asked') return 'asked for'
  return item.kind === 'release'
    ? 'a step between: a control plane goes one minor at a time'
    : 'a step between: the next version replaces it'
}

const itemColumns: readonly Column<Item>[] = [
  { name: 'what', value: (item) => item.name, show: (item) => <b className="mono">{item.name}</b> },
  { name: 'why', value: whyText, wraps: true },
  { name: 'images', value: (item) => item.images, number: true },
  {
    name: 'size',
    value: (item) => item.bytes,
    show: (item) =>
      item.carriedBytes < item.bytes ? (
        <s>{decimalBytesText(item.bytes)}</s>
      ) : (
        decimalBytesText(item.bytes)
      ),
    number: true,
  },
  {
    name: 'on site',
    value: (item) => item.onSiteBytes,
    show: (item) => (item.onSiteBytes === 0 ? 'nothing' : decimalBytesText(item.onSiteBytes)),
    number: true,
  },
  {
    name: 'carried',
    value: (item) => item.carriedBytes,
    show: (item) => <b>{decimalBytesText(item.carriedBytes)}</b>,
    number: true,
  },
]

/** Images of the co-operative’s own that come along, each by its name. */
function SingleImages({ data }: { readonly data: Data }) {
  const [images, setImages] = useState(data.images)
  return (
    <>
      <Hidden name="images" value={images.join(',')} />
      <SeveralField
        label="Single images"
        value={images}
        options={data.offered}
        onChange={setImages}
        placeholder="none"
        width={240}
      />
    </>
  )
}

function Asked({ data }: { readonly data: Data }) {
  const { media } = data
  return (
    <AskForm
      label="What is to be carried"
      verb="Compute"
      asks={[
        'site',
        'release',
        'channel',
        'severity',
        'unsigned',
        'images',
        ...media.map(({ name }) => `drives-${name}`),
      ]}
    >
      <Choice name="site" label="Site" options={data.sites} defaultValue={data.site} width={150} />
      <Choice
        key={data.site}
        name="release"
        label="Should reach"
        options={data.releases}
        defaultValue={data.release ?? ''}
        width={110}
        unfolds
      />
      <Choice
        name="channel"
        label="Add-ons"
        options={[
          { value: 'steady', says: 'latest of steady' },
          { value: 'early', says: 'latest of early' },
          { value: 'none', says: 'none' },
        ]}
        defaultValue={data.channel}
        width={150}
      />
      <Choice
        name="severity"
        label="Hold back findings from"
        options={[{ value: '', says: 'none' }, ...data.severities]}
        defaultValue={data.severity}
        width={150}
      />
      <Choice
        name="unsigned"
        label="Unsigned images"
        options={[
          { value: 'held', says: 'held back' },
          { value: 'taken', says: 'taken along' },
        ]}
        defaultValue={data.unsigned}
        width={130}
      />
      <SingleImages data={data} />
      {media.map((medium) => (
        <NumberField
          key={`${medium.name} ${medium.count}`}
          name={`drives-${medium.name}`}
          label={`${medium.name} (${decimalBytesText(medium.bytes)})`}
          defaultValue={medium.count}
          max={1000}
          width={130}
        />
      ))}
    </AskForm>
  )
}

function Problems({ data }: { readonly data: Data }) {
  const { shipment } = data
  return (
    <>
      {shipment.problems.map((problem) => (
        <Notice key={problem.says}>
          {problem.says}
          {(problem.cutBy ?? []).map(({ from, to, reason }) => (
            <span key={`${from} ${to}`}>
              {' '}
              <span className="mono">
                {from} → {to}
              </span>{' '}
              was withdrawn: {reason}.
            </span>
          ))}
        </Notice>
      ))}
      {shipment.unfit > 0 ? (
        <Notice>
          {data.media.every((medium) => medium.count === 0)
            ? 'There is no drive at hand. Say how many of each there are.'
            : `${countText(shipment.unfit, 'blob is', 'blobs are')} larger than any drive at hand. Add a larger one.`}
        </Notice>
      ) : null}
      {shipment.fits ? null : (
        <Notice>
          {data.site} has {decimalBytesText(data.free ?? 0)} free; it takes{' '}
          {decimalBytesText(shipment.diskBytes)}.
        </Notice>
      )}
      {shipment.held.length > 0 ? (
        <Notice level="caution">
          {countText(shipment.held.length, 'image is', 'images are')} held back:{' '}
          {shipment.held
            .slice(0, 4)
            .map(
              (image) =>
                `${image.name} (${image.why}; without it ${listText(image.lack, 3)} is incomplete)`,
            )
            .join('; ')}
          {shipment.held.length > 4 ? ` and ${shipment.held.length - 4} more` : ''}.
        </Notice>
      ) : null}
    </>
  )
}

export default function Shipments({ loaderData }: Route.ComponentProps) {
  const [search] = useSearchParams()
  if (loaderData.site === null || !('items' in loaderData))
    return (
      <Page title="Shipments" reason={<h2>Nothing to carry anything to</h2>}>
        <StoreTabs here="/store/shipments" />
        <Empty title="There is no site yet" first={<To path="/ground">Add a site</To>}>
          A shipment carries releases, add-ons and images to a site without a link.
        </Empty>
      </Page>
    )
  const data = loaderData
  const shown = data.packed.find((packed) => packed.name === data.chosen)
  return (
    <Page
      title="Shipments"
      beside={<span className="soft">what a site without a link needs, on the fewest drives</span>}
      reason={shown ? <PackedReason packed={shown} /> : <ShipmentReason data={data} />}
    >
      <StoreTabs here="/store/shipments" />
      <div className="store-page" key={search.toString()}>
        <PackedShipments packed={data.packed} chosen={data.chosen} />
        <Asked data={data} />
        <Problems data={data} />
        {data.columns.length > 0 ? (
          <Drives drives={data.columns} items={data.items.map((item) => item.name)} />
        ) : null}
        <Table
          name="contents of the shipment"
          columns={itemColumns}
          rows={data.items}
          id={(item) => item.name}
          empty="Nothing is to be carried: choose a release above what the site has."
        />
      </div>
    </Page>
  )
}
