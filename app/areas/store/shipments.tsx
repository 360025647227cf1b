/** What is carried to a site without a link: the closure of what it should run, how large, how long, on which drives. */
import { useSearchParams } from 'react-router'
import {
  type CarriedItem,
  carriedItems,
  orderOf,
  severities,
  type Shipment,
  type ShipmentOrder,
} from '~/core/shipment'
import { decimalBytesText, countText, durationText, listText } from '~/core/units'
import { shipmentAsked } from '~/server/releases/shipping'
import { gyrarchContext } from '../../context'
import { Drives, loadHeight, widthOf } from '../../drawings/drives'
import { driveColumns } from '../../drawings/drives-layout'
import { Page } from '../../frame/page'
import { AskForm } from '../../kit/ask-form'
import { Choice } from '../../kit/choice'
import { Empty } from '../../kit/empty'
import { Notice } from '../../kit/notice'
import { NumberField } from '../../kit/number-field'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { fleetAsked } from '../moment'
import { StoreTabs } from './tabs'
import type { Route } from './+types/shipments'
import './store.css'

export const meta: Route.MetaFunction = () => [{ title: 'Shipments · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const catalogue = await gyrarch.catalogue.contents()
  const asked = shipmentAsked(new URL(request.url).searchParams, view, catalogue)
  const shared = {
    now: view.now,
    sites: view.sites.map((site) => site.name),
    media: asked?.choice.media ?? [],
    severities,
  }
  if (!asked) return { ...shared, site: null }
  const { choice, stock, releases } = asked
  const order: ShipmentOrder = orderOf(choice, view, catalogue)
  const shipment = (await gyrarch.compute.run('shipment', order, request.signal)) as Shipment
  return {
    ...shared,
    site: choice.site,
    stock: { release: stock.release, addOns: stock.addOns },
    releases,
    release: choice.release,
    channel: choice.channel ?? 'none',
    severity: choice.severity ?? '',
    unsigned: choice.holdUnsigned ? 'held' : 'taken',
    free: order.has.diskFreeBytes ?? null,
    // What the files of a drive are asked with: the same choice, by API.
    query: new URLSearchParams({
      ...(choice.release === null ? {} : { release: choice.release }),
      channel: choice.channel ?? 'none',
      ...(choice.severity === null ? {} : { severity: choice.severity }),
      unsigned: choice.holdUnsigned ? 'held' : 'taken',
      ...Object.fromEntries(
        choice.media.map(({ name, count }) => [`drives-${name}`, String(count ?? 0)]),
      ),
    }).toString(),
    ...shipmentShown(order, shipment),
  }
}

const nameOf = ({ name, version }: CarriedItem): string => `${name} ${version}`.trim()

/** What of a shipment the page shows: its figures, its items, and its drives as columns. */
function shipmentShown(order: ShipmentOrder, shipment: Shipment) {
  const imageOf = new Map(order.images.map((image) => [image.digest, image]))
  const items = carriedItems(order, { ...shipment, blobs: [] })
  const itemOf = new Map(
    items.flatMap((item) =>
      item.blobs.map(({ digest, bytes }) => [digest, { bytes, item: nameOf(item) }]),
    ),
  )
  return {
    shipment: {
      bytes: shipment.bytes,
      diskBytes: shipment.diskBytes,
      fits: shipment.fits,
      seconds: shipment.seconds,
      lowerBound: shipment.lowerBound,
      drives: shipment.drives.length,
      unfit: shipment.unfit.length,
      problems: shipment.problems,
      images: shipment.images.length,
      held: shipment.held.map((image) => ({
        ...image,
        name: imageOf.get(image.digest)?.name ?? image.digest,
      })),
    },
    items: items.map(({ blobs: _, ...item }) => ({
      ...item,
      name: nameOf({ ...item, blobs: [] }),
    })),
    columns: driveColumns(
      shipment.drives.map(({ medium, blobs }) => ({
        medium,
        capacity: order.media.find((candidate) => candidate.name === medium)?.bytes ?? 0,
        blobs: blobs.map((digest) => ({
          digest,
          bytes: itemOf.get(digest)?.bytes ?? 0,
          item: itemOf.get(digest)?.item ?? '',
        })),
      })),
      widthOf(shipment.drives.length),
      loadHeight,
    ),
  }
}

type Data = Extract<Route.ComponentProps['loaderData'], { readonly items: unknown }>
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

function headText(site: string, { bytes, drives }: Data['shipment']): string {
  if (bytes === 0) return `${site} has all of it`
  return drives === 0
    ? `${decimalBytesText(bytes)}, and no drives for it`
    : `${decimalBytesText(bytes)} on ${countText(drives, 'drive')}`
}

function Reason({ data }: { readonly data: Data }) {
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
  return (
    <Page
      title="Shipments"
      beside={<span className="soft">what a site without a link needs, on the fewest drives</span>}
      reason={<Reason data={data} />}
    >
      <StoreTabs here="/store/shipments" />
      <div className="store-page" key={search.toString()}>
        <Asked data={data} />
        <Problems data={data} />
        {data.columns.length > 0 ? (
          <Drives
            drives={data.columns}
            items={data.items.map((item) => item.name)}
            linkTo={(drive) => (
              <a href={`/api/v1/sites/${data.site}/shipment/drives/${drive}.tar?${data.query}`}>
                download
              </a>
            )}
          />
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
