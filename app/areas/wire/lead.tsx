/** A host that is led to a service. */

import type { Route } from './+types/hosts'
import { numberText, listText } from '../../../core/units'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import Button from '@mui/material/Button'
import { useEffect } from 'react'
import { z } from 'zod'
import { ChoiceAt, SchemaForm, TextAt, TickAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { applying } from '../../parts/applying'
import { useDraft } from '../../parts/draft-change'

type Data = Route.ComponentProps['loaderData']
type Row = NonNullable<Data['rows']>[number]

/** The service as it is applied to take connections on the other nodes than now. */
function trafficPolicy({ key, local }: Row) {
  const [namespace = '', name = ''] = key.split('/')
  return {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { name, namespace },
    spec: { externalTrafficPolicy: local ? 'Cluster' : 'Local' },
  }
}

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
        intent={applying(cluster, 'gyrarch-traffic-policy', trafficPolicy(row))}
      >
        Draft {row.local ? 'any node taking it' : 'keeping to nodes with an endpoint'}
      </DraftChange>
    </>
  )
}

const hostForm = z.object({
  host: z
    .string()
    .trim()
    .regex(
      /^(\*\.)?([a-z0-9]([-a-z0-9]*[a-z0-9])?\.)+[a-z0-9]+$/i,
      'Write a host in full, like prices.fernhollow.example.',
    ),
  path: z.string().startsWith('/', 'A path begins with a slash.'),
  namespace: z.string().min(1, 'Choose a namespace.'),
  service: z.string().min(1, 'Choose a service.'),
  record: z.boolean(),
})

export function Lead({ data }: { readonly data: Data }) {
  const { cluster, namespaces = [], domain = '' } = data
  const usual = namespaces.find(({ name }) => name !== 'platform' && name !== 'default')
  const first = usual ?? namespaces[0]
  const form = useSchemaForm(hostForm, {
    host: '',
    path: '/',
    namespace: first?.name ?? '',
    service: first?.services[0] ?? '',
    record: true,
  })
  const { draft, isBusy, refused } = useDraft()
  const namespace = form.watch('namespace')
  const service = form.watch('service')
  const services = namespaces.find(({ name }) => name === namespace)?.services ?? []
  useEffect(() => {
    if (!services.includes(service)) form.setValue('service', services[0] ?? '')
  })
  return (
    <section aria-label="Lead a host to a service" className="below-table">
      <h2>Lead a host to a service</h2>
      <SchemaForm
        label="Lead a host to a service"
        form={form}
        onSubmit={(values) =>
          draft('wire.ingress', {
            cluster: cluster ?? '',
            name:
              (values.host.toLowerCase().split('.')[0] ?? '').replace(/[^a-z0-9-]/g, '') || 'host',
            ...values,
          })
        }
      >
        <TextAt path="host" label="Host" mono placeholder={`prices.${domain}`} width={240} />
        <TextAt path="path" label="Path" mono width={110} />
        <ChoiceAt
          path="namespace"
          label="Namespace"
          options={namespaces.map(({ name }) => name)}
          width={150}
        />
        <ChoiceAt path="service" label="Service" options={services} width={170} />
        <TickAt path="record" label="Write its name record too" />
        <Button type="submit" variant="contained" disabled={isBusy}>
          Draft it
        </Button>
      </SchemaForm>
      <Refused says={refused} />
    </section>
  )
}
