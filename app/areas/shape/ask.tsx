/** What if: nodes come or go, workloads are altered. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import type { Board, WhatIf } from '../../../core/placement'

export interface AskProps {
  readonly board: Board
  readonly onAdd: (whatIf: WhatIf) => void
}

/** The controls that add a what-if without a mouse. */
export function Ask({ board, onAdd }: AskProps) {
  const [workload, setWorkload] = useState('')
  const [replicas, setReplicas] = useState('')
  const chosen = board.workloads.find((candidate) => candidate.key === workload)
  const pools = [
    ...new Map(
      board.nodes.filter((node) => node.fate === 'stands').map((node) => [node.pool, node]),
    ).values(),
  ]
  return (
    <div className="board-ask" role="group" aria-label="What if">
      <b>What if</b>
      <label>
        <span className="soft">lose</span>{' '}
        <select
          value=""
          onChange={(event) =>
            event.target.value !== '' &&
            onAdd({ kind: 'loss', label: 'topology.kubernetes.io/zone', value: event.target.value })
          }
          aria-label="Lose a zone"
        >
          <option value="">a zone…</option>
          {board.zones.map((zone) => (
            <option key={zone}>{zone}</option>
          ))}
        </select>
      </label>
      <label>
        <span className="soft">add</span>{' '}
        <select
          value=""
          onChange={(event) =>
            event.target.value !== '' &&
            onAdd({ kind: 'nodes', like: event.target.value, count: 1 })
          }
          aria-label="Add a node to a pool"
        >
          <option value="">a node to…</option>
          {pools.map((node) => (
            <option key={node.name} value={node.name}>
              {node.pool === '' ? `like ${node.name}` : node.pool}
            </option>
          ))}
        </select>
      </label>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (workload !== '' && /^\d{1,5}$/.test(replicas))
            onAdd({ kind: 'replicas', workload, count: Number(replicas) })
        }}
      >
        <select
          value={workload}
          aria-label="Workload"
          onChange={(event) => {
            setWorkload(event.target.value)
            setReplicas(
              String(
                (board.workloads.find((candidate) => candidate.key === event.target.value)
                  ?.replicas ?? 0) + 1,
              ),
            )
          }}
        >
          <option value="">scale…</option>
          {board.workloads
            .filter((candidate) => /^(Deployment|StatefulSet|ReplicaSet)\//.test(candidate.key))
            .map((eachWorkload) => (
              <option key={eachWorkload.key} value={eachWorkload.key}>
                {eachWorkload.key.split('/').slice(1).join('/')}
              </option>
            ))}
        </select>
        {chosen ? (
          <>
            <span className="soft">{chosen.replicas} → </span>
            <input
              value={replicas}
              onChange={(event) => setReplicas(event.target.value)}
              inputMode="numeric"
              aria-label="Replicas"
              size={4}
            />
            <Button type="submit" variant="outlined">
              Try
            </Button>
          </>
        ) : null}
      </form>
    </div>
  )
}
