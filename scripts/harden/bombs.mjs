/** Requests that are small to send and large to answer: one for each way that was found to hold a server or fill it. */
import { brotliCompressSync, gzipSync } from 'node:zlib'

const MiB = 1024 ** 2
const json = (value) => JSON.stringify(value)
const many = (count, of) => Array.from({ length: count }, (_, index) => of(index))
const octets = (index) => `${(index >> 8) % 250}.${index % 250}`

const pool = (index, count) => ({ name: `pool-${index}`, size: 'reed-2-8', count })

const raised = (pools) => ({
  name: 'sedgeland',
  site: 'tarn-north',
  release: '1.33.2',
  controlPlane: { kind: 'managed', tier: 'plain' },
  pools,
  ranges: { pods: '10.132.0.0/14', services: '10.143.0.0/20', maxPodsPerNode: 110 },
})

/** An object whose list of aliases grows with each line: small as text, huge as a tree. */
const aliases = (lines, each) =>
  `a: &a ["x"]\n${many(lines, (i) => `${String.fromCharCode(98 + i)}: &${String.fromCharCode(98 + i)} [${many(each, () => `*${String.fromCharCode(97 + i)}`).join(',')}]`).join('\n')}\n`

const object = (kind, name, rest = {}) => ({
  apiVersion: kind === 'Pod' || kind === 'Node' ? 'v1' : 'apps/v1',
  kind,
  metadata: { name, namespace: 'default' },
  ...rest,
})

/** Each: what it is, how it is asked. `body` is made only when its turn comes. */
export const bombs = [
  {
    name: '250 MB of brackets, packed',
    path: '/api/v1/compute/placement',
    headers: { 'content-encoding': 'gzip' },
    body: () => gzipSync(Buffer.alloc(250 * MiB, '[')),
  },
  {
    name: '250 MB of brackets, packed with brotli',
    path: '/api/v1/compute/drain',
    headers: { 'content-encoding': 'br' },
    body: () => brotliCompressSync(Buffer.alloc(250 * MiB, '[')),
  },
  {
    name: '2 GB of spaces, packed',
    path: '/api/v1/compute/diagnose',
    headers: { 'content-encoding': 'gzip' },
    body: () => {
      const block = gzipSync(Buffer.alloc(256 * MiB, ' '))
      return Buffer.concat(many(8, () => block))
    },
  },
  {
    name: 'brackets as a draft',
    path: '/api/v1/changes',
    body: () => Buffer.alloc(7 * MiB, '['),
  },
  {
    name: 'four million empty lists as a draft',
    path: '/api/v1/changes',
    body: () => `[${'[],'.repeat(2.5 * MiB)}[]]`,
  },
  {
    name: '250 MB of small values',
    path: '/api/v1/compute/placement',
    headers: { 'content-encoding': 'gzip' },
    body: () => gzipSync(`{"objects":[${'{},'.repeat(80 * MiB)}{}]}`),
  },
  {
    name: 'a text of 200 MB where a list is wanted',
    path: '/api/v1/compute/placement',
    headers: { 'content-encoding': 'gzip' },
    body: () => gzipSync(`{"objects":"${'x'.repeat(200 * MiB)}"}`),
  },
  {
    name: 'a zone of a chain of 4,000 other names',
    path: '/api/v1/sites/tarn-north/zone',
    body: () =>
      json({
        text: `$ORIGIN fernhollow.example.\n$TTL 300\n${many(4000, (i) => `n${i} IN CNAME n${i + 1}`).join('\n')}\nn4000 IN A 10.0.0.1\n`,
      }),
  },
  {
    name: 'a zone of 3.9 MB',
    path: '/api/v1/sites/tarn-north/zone',
    body: () =>
      json({
        text: `$ORIGIN fernhollow.example.\n$TTL 300\n${many(120_000, (i) => `n${i} IN A 10.${i % 200}.${octets(i)}`).join('\n')}\n`,
      }),
  },
  {
    name: '30 rules of 300 ranges each',
    path: '/api/v1/compute/firewall-review',
    body: () =>
      json({
        rules: many(30, (i) => ({
          name: `r${i}`,
          direction: 'in',
          action: i % 2 ? 'deny' : 'allow',
          priority: i,
          protocol: 'TCP',
          ports: many(20, (p) => `${1 + p * 300 + i}-${200 + p * 300 + i}`),
          from: many(300, (r) => `10.${i}.${octets(r)}/32`),
          to: many(300, (r) => `10.${i + 40}.${octets(r)}/32`),
        })),
      }),
  },
  {
    name: 'carving the whole of ::/0',
    path: '/api/v1/compute/address-carve',
    body: () =>
      json({
        within: '::/0',
        taken: many(20_000, (i) => `2001:db8:${i.toString(16)}::/64`),
        prefixes: many(2000, (i) => 1 + (i % 128)),
      }),
  },
  {
    name: '200,000 ranges that overlap',
    path: '/api/v1/compute/address-overlaps',
    body: () =>
      json({ ranges: many(120_000, (i) => ({ name: `r${i}`, range: `10.0.${i % 4}.0/22` })) }),
  },
  {
    name: '100 years of a thousand rest windows',
    path: '/api/v1/compute/rest-savings',
    body: () =>
      json({
        zone: 'Europe/Berlin',
        from: '2000-01-01T00:00:00Z',
        until: '2099-12-31T00:00:00Z',
        hourly: 3,
        windows: many(1000, (i) => ({
          days: ['mon', 'tue', 'wed', 'thu', 'fri'],
          stop: `${String(i % 24).padStart(2, '0')}:${String(i % 59).padStart(2, '0')}`,
          start: `${String((i + 3) % 24).padStart(2, '0')}:${String((i + 1) % 59).padStart(2, '0')}`,
        })),
      }),
  },
  {
    name: '10,000 maintenance windows, each second',
    path: '/api/v1/compute/maintenance-windows',
    body: () =>
      json({
        from: '2026-01-01T00:00:00Z',
        until: '2126-01-01T00:00:00Z',
        windows: many(10_000, (i) => ({
          name: `w${i}`,
          start: '2026-01-01T00:00:00',
          zone: 'Europe/Berlin',
          minutes: 5,
          rule: 'FREQ=SECONDLY',
        })),
      }),
  },
  {
    name: '40 pools of 1,000 nodes',
    path: '/api/v1/changes',
    thenGet: true,
    body: () =>
      json({
        kind: 'cluster.raise',
        intent: raised(many(40, (i) => pool(i, 1000))),
      }),
  },
  {
    name: '20,000 documents',
    path: '/api/v1/clusters/bramble/objects',
    headers: { 'content-type': 'text/plain' },
    body: () =>
      many(20_000, (i) => `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c${i}}\n`).join(
        '---\n',
      ),
  },
  {
    name: '100 aliases of a long list',
    path: '/api/v1/clusters/bramble/objects',
    headers: { 'content-type': 'text/plain' },
    body: () =>
      `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c}\ndata:\n  a: &a [${many(10_000, () => 'x').join(',')}]\n  b: [${many(100, () => '*a').join(',')}]\n`,
  },
  {
    name: 'aliases of aliases',
    path: '/api/v1/clusters/bramble/objects',
    headers: { 'content-type': 'text/plain' },
    body: () => aliases(12, 10),
  },
  {
    name: '400,000 labels',
    path: '/api/v1/clusters/bramble/objects',
    headers: { 'content-type': 'text/plain' },
    body: () =>
      `apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: c\n  labels:\n${many(400_000, (i) => `    l${i}: x`).join('\n')}\n`,
  },
  {
    name: '400,000 labels in a node',
    path: '/api/v1/compute/placement',
    body: () =>
      json({
        objects: [
          {
            ...object('Node', 'n'),
            metadata: {
              name: 'n',
              labels: Object.fromEntries(many(350_000, (i) => [`l${i}`, 'x'])),
            },
          },
        ],
      }),
  },
  {
    name: 'a CSV of 3.9 MB',
    path: '/api/v1/ledger/csv',
    body: () =>
      json({
        text: `domain,range,name\n${many(100_000, (i) => `default,10.${i % 200}.${i % 250}.${4 * (i % 60)}/30,n${i}`).join('\n')}\n`,
      }),
  },
  {
    name: 'two thousand million replicas',
    path: '/api/v1/clusters/bramble/objects',
    headers: { 'content-type': 'text/plain' },
    thenGet: true,
    body: () =>
      'apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: many, namespace: default}\nspec:\n  replicas: 2000000000\n  selector: {matchLabels: {app: many}}\n  template:\n    metadata: {labels: {app: many}}\n    spec: {containers: [{name: a, image: registry.kilnlane.example/brackwater/press:1}]}\n',
  },
  {
    name: 'one pattern that never ends',
    path: '/api/v1/compute/diagnose',
    body: () => json({ objects: [], about: `${'a'.repeat(200_000)}!` }),
  },
]
