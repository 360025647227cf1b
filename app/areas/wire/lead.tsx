/** A host that is led to a service. */

import type { Route } from './+types/hosts'
import { useState } from 'react'
import { numberText, listText } from '../../../core/units'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'

type Data = Route.ComponentProps['loaderData']
type Row = NonNullable<Data['rows']>[number]

export function Explain({ row, cluster }: { readonly row: Row; readonly cluster: string }) {
  return (
    <>
      <div className="soft">service</div>
      <h2>{row.key}</h2>
      <dl className="facts">
        <div>
          <dt>pool members</dt>
          <dd>
            {row.local
              ? `${row.holding.length} of ${row.members} nodes`
              : `all ${row.members} nodes`}
          </dd>
        </div>
        <div>
          <dt>extra hop</dt>
          <dd>
            {row.local
              ? 'none'
              : `for about ${row.members === 0 ? 0 : numberText(100 * (1 - row.holding.length / row.members))} % of the connections`}
          </dd>
        </div>
        <div>
          <dt>source the pod sees</dt>
          <dd>{row.local ? 'the caller’s own' : 'the node that took it'}</dd>
        </div>
        <div>
          <dt>share of each endpoint</dt>
          <dd>{row.uneven > 1 ? `uneven: up to ${numberText(row.uneven, 1)} times` : 'even'}</dd>
        </div>
        <div>
          <dt>endpoints on</dt>
          <dd>{listText(row.holding, 4) || 'no node'}</dd>
        </div>
      </dl>
      <p>
        {row.local
          ? 'Only nodes that hold an endpoint take connections: no hop between nodes, and policies see the caller. A node with two endpoints gets no more than one with one.'
          : 'Any node takes a connection and sends it on under its own address: even shares, and policies see the node, not the caller.'}
      </p>
      {row.address === null ? null : (
        <p>
          <To
            path="/wire/walk"
            query={{ from: '192.0.2.77', to: row.address, port: String(row.ports[0] ?? 443) }}
          >
            Walk from outside
          </To>
        </p>
      )}
      <DraftChange
        kind="manifest.apply"
        intent={{
          cluster,
          text: `apiVersion: v1\nkind: Service\nmetadata: {name: ${row.key.split('/')[1] ?? ''}, namespace: ${row.key.split('/')[0] ?? ''}}\nspec: {externalTrafficPolicy: ${row.local ? 'Cluster' : 'Local'}}\n`,
        }}
      >
        Draft {row.local ? 'any node taking it' : 'keeping to nodes with an endpoint'}
      </DraftChange>
    </>
  )
}

export function Lead({ data }: { readonly data: Data }) {
  const { cluster, namespaces = [], domain = '' } = data
  const [wish, setWish] = useState({
    host: '',
    path: '/',
    namespace:
      namespaces.find((namespace) => namespace.name !== 'platform' && namespace.name !== 'default')
        ?.name ??
      namespaces[0]?.name ??
      '',
    service: '',
    record: true,
  })
  const services = namespaces.find((namespace) => namespace.name === wish.namespace)?.services ?? []
  const service = services.includes(wish.service) ? wish.service : (services[0] ?? '')
  return (
    <section aria-label="Lead a host to a service">
      <h3>Lead a host to a service</h3>
      <div className="wire-form">
        <label>
          Host{' '}
          <input
            value={wish.host}
            placeholder={`prices.${domain}`}
            onChange={(event) => setWish((was) => ({ ...was, host: event.target.value }))}
          />
        </label>
        <label>
          Path{' '}
          <input
            value={wish.path}
            onChange={(event) => setWish((was) => ({ ...was, path: event.target.value }))}
          />
        </label>
        <label>
          Namespace{' '}
          <select
            value={wish.namespace}
            onChange={(event) => setWish((was) => ({ ...was, namespace: event.target.value }))}
          >
            {namespaces.map((namespace) => (
              <option key={namespace.name}>{namespace.name}</option>
            ))}
          </select>
        </label>
        <label>
          Service{' '}
          <select
            value={service}
            onChange={(event) => setWish((was) => ({ ...was, service: event.target.value }))}
          >
            {services.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </label>
        <label style={{ justifyContent: 'flex-start' }}>
          <input
            type="checkbox"
            checked={wish.record}
            style={{ minHeight: 0 }}
            onChange={(event) => setWish((was) => ({ ...was, record: event.target.checked }))}
          />{' '}
          write its name record too
        </label>
      </div>
      <DraftChange
        kind="wire.ingress"
        intent={{
          cluster: cluster ?? '',
          namespace: wish.namespace,
          name: (wish.host.split('.')[0] ?? '').replace(/[^a-z0-9-]/g, '') || 'host',
          host: wish.host,
          path: wish.path || '/',
          service,
          record: wish.record,
        }}
        variant="contained"
        disabled={wish.host.trim() === '' || service === ''}
      >
        Draft it
      </DraftChange>
    </section>
  )
}
