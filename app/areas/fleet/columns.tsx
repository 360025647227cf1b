/** The fleet as a table: what is told of each site, cluster, pool and node. */
import type { Column } from '../../kit/table/table'
import { StateText } from '../../parts/state'
import type { Row } from './rows'

const columns: readonly Column<Row>[] = [
  {
    name: 'name',
    value: (row) => row.name,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  { name: 'kind', value: ({ kind, role }) => (role === '' ? kind : `${role} ${kind}`) },
  {
    name: 'within',
    value: (row) => row.within,
    show: (row) => <span className="mono">{row.within}</span>,
  },
  { name: 'state', value: (row) => row.state, show: (row) => <StateText state={row.state} /> },
  {
    name: 'release',
    value: (row) => row.release,
    show: (row) => <span className="mono">{row.release}</span>,
  },
  { name: 'nodes', value: (row) => row.nodes, number: true },
  { name: 'cores', value: (row) => row.cores, number: true },
  { name: 'asked %', value: (row) => Math.round(row.asked * 100), number: true },
  {
    name: 'GiB',
    value: (row) => Math.round(row.memory / 2 ** 30),
    number: true,
    isHiddenAtFirst: true,
  },
  { name: 'pods', value: (row) => row.pods, number: true },
  { name: 'a month', value: (row) => Math.round(row.spend * 100) / 100, number: true },
]

/** With labels only where some cluster has any: they take room from the rest. */
export const columnsFor = (labels: readonly string[]): readonly Column<Row>[] =>
  labels.length === 0 ? columns : [...columns, { name: 'labels', value: (row: Row) => row.labels }]
