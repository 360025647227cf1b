/** What stands at a site: machines in place, who holds an address, images. */
import Button from '@mui/material/Button'
import { Form } from 'react-router'
import type { SiteView, whoHolds } from '../../../core/fleet'
import { bytesText, countText, numberText } from '../../../core/units'
import { RefLink } from '../../parts/ref-link'
import { Hidden } from '../../kit/ask-form'
import { Choice } from '../../kit/choice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'

export function BoxTable({ site }: { readonly site: SiteView }) {
  return (
    <section aria-label="Machines that stand there" style={{ marginTop: 16 }}>
      <h2>{site.boxes.length === 1 ? 'The box' : 'Machines that stand there'}</h2>
      {site.boxes.map((box) => (
        <details key={box.name} className="box" open={site.boxes.length === 1}>
          <summary>
            <b className="mono">{box.name}</b>{' '}
            <span className="soft">
              {box.zone}, {box.cores} cores, {bytesText(box.memoryBytes)}, {box.arch},{' '}
              {box.prepared ? 'runs' : 'waits to be installed'},{' '}
              {box.usedBy === null ? 'free' : `used by ${box.usedBy}`}
            </span>
          </summary>
          <PlainTable label={box.name} heads={['part', 'is', 'holds']}>
            {box.disks.map((disk) => (
              <Row key={disk.identifier}>
                <Cell className="mono">{disk.identifier.split('/').pop()}</Cell>
                <Cell>
                  {numberText(disk.sizeGb)} GB, shows as {disk.shownAs} today
                </Cell>
                <Cell>
                  {disk.removable ? 'removable, ' : ''}
                  {disk.holds ?? 'blank'}
                </Cell>
              </Row>
            ))}
            {box.cards.map((card) => (
              <Row key={card.name}>
                <Cell className="mono">{card.name}</Cell>
                <Cell className="mono">{card.mac}</Cell>
                <Cell>
                  {[card.network, card.address].filter((part) => part !== null).join(', ') ||
                    'no address'}
                  {card.sharedWith > 0
                    ? `, an address ${countText(card.sharedWith, 'other holds', 'others hold')} too`
                    : ''}
                </Cell>
              </Row>
            ))}
          </PlainTable>
        </details>
      ))}
    </section>
  )
}

/** Who holds an address, the closest first. */
export function Holders({
  asked,
  holding,
}: {
  readonly asked: string
  readonly holding: ReturnType<typeof whoHolds>
}) {
  return (
    <section aria-label="Holders" role="status">
      <h2>
        <span className="mono" data-copy={holding.address ?? asked}>
          {holding.address ?? asked}
        </span>
      </h2>
      {holding.says === null ? null : <p>{holding.says}</p>}
      <ul className="facts" style={{ marginTop: 6 }}>
        {holding.holders.map((holder) => (
          <li key={`${holder.domain}${holder.range}${holder.says}`}>
            <span>
              <RefLink about={holder.about}>{holder.says}</RefLink>
            </span>
            <span className="source">
              <span className="mono">{holder.range}</span>
              <br />
              {holder.domain}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** The base images a site holds, and the way to bring another. */
export function Images({
  site,
  releases,
}: {
  readonly site: SiteView
  readonly releases: readonly string[]
}) {
  return (
    <section aria-label="Base images" style={{ marginTop: 16 }}>
      <h2>Base images</h2>
      <p className="mono" style={{ margin: '5px 0 8px', overflowWrap: 'anywhere' }}>
        {site.images.map((image) => image.release).join('  ') || 'none'}
      </p>
      {site.kind === 'cloud' || releases.length === 0 ? null : (
        <Form method="post" className="acts">
          <Hidden name="site" value={site.name} />
          <Choice name="release" label="Release" hideLabel options={releases} width={120} />
          <Button type="submit" variant="outlined">
            Draft putting it in place
          </Button>
        </Form>
      )}
    </section>
  )
}
