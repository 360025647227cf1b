/** Node against node on a network: reached, at which packet size, refused where. */
import ButtonBase from '@mui/material/ButtonBase'
import { useMemo } from 'react'
import type { Pair } from '~/core/storage'
import { Cell, PlainTable, Row } from '../kit/plain-table'
import { useTurn } from '../kit/turn'
import './pair-matrix.css'

const says: Readonly<Record<Pair['state'], string>> = {
  good: 'reached',
  'no-link': 'no link',
  barred: 'refused',
  'too-large': 'too large',
}

/** What every name begins with, up to a dash: it tells nothing apart. */
function sharedStart(names: readonly string[]): string {
  const [first = ''] = names
  let end = first.lastIndexOf('-') + 1
  while (end > 0 && !names.every((name) => name.startsWith(first.slice(0, end))))
    end = first.lastIndexOf('-', end - 2) + 1
  return first.slice(0, end)
}

function PairCell({
  pair,
  open,
  onChoose,
}: {
  readonly pair: Pair
  readonly open: boolean
  readonly onChoose: (pair: Pair) => void
}) {
  useTurn()
  const { from, to, state, sent, taken } = pair
  return (
    <Cell data-state={state} data-open={open}>
      <ButtonBase
        aria-label={`${from} to ${to}: ${says[state]}, ${Math.min(sent, taken)} bytes`}
        aria-pressed={open}
        onClick={() => onChoose(pair)}
      >
        {state === 'good' ? sent : says[state]}
      </ButtonBase>
    </Cell>
  )
}

export function PairMatrix({
  pairs,
  chosen,
  onChoose,
}: {
  readonly pairs: readonly Pair[]
  readonly chosen: Pair | null
  readonly onChoose: (pair: Pair) => void
}) {
  const nodes = useMemo(() => [...new Set(pairs.map((pair) => pair.from))], [pairs])
  const byEnds = useMemo(
    () => new Map(pairs.map((pair) => [`${pair.from} ${pair.to}`, pair])),
    [pairs],
  )
  const shared = useMemo(() => sharedStart(nodes).length, [nodes])
  const short = (node: string): string => node.slice(shared)
  return (
    <PlainTable
      label="Pairs of nodes"
      className="pair-matrix"
      heads={[
        { key: 'from', says: <span className="soft">from ↓ to →</span> },
        ...nodes.map((node) => ({ key: node, says: <span className="mono">{short(node)}</span> })),
      ]}
    >
      {nodes.map((from) => (
        <Row key={from}>
          <Cell component="th" scope="row" className="mono">
            {short(from)}
          </Cell>
          {nodes.map((to) => {
            const pair = byEnds.get(`${from} ${to}`)
            if (!pair) return <Cell key={to} className="self" />
            return <PairCell key={to} pair={pair} open={pair === chosen} onChoose={onChoose} />
          })}
        </Row>
      ))}
    </PlainTable>
  )
}
