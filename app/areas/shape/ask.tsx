/** What if: nodes come or go, workloads are altered. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import type { Board, WhatIf } from '../../../core/placement'
import { Choice } from '../../kit/choice'
import { NumberField } from '../../kit/number-field'

export interface AskProps {
  readonly board: Board
  readonly onAdd: (whatIf: WhatIf) => void
}

/** A workload with other replicas. */
function Scale({ board, onAdd }: AskProps) {
  const [workload, setWorkload] = useState('')
  const [replicas, setReplicas] = useState<number | undefined>(undefined)
  const chosen = board.workloads.find((candidate) => candidate.key === workload)
  const scalable = board.workloads.filter((candidate) =>
    /^(Deployment|StatefulSet|ReplicaSet)\//.test(candidate.key),
  )
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        if (workload !== '' && replicas !== undefined)
          onAdd({ kind: 'replicas', workload, count: replicas })
      }}
    >
      <Choice
        label="Workload"
        hideLabel
        value={workload}
        empty="scale a workload…"
        width={220}
        options={scalable.map((candidate) => ({
          value: candidate.key,
          says: candidate.key.split('/').slice(1).join('/'),
        }))}
        onChange={(key) => {
          setWorkload(key)
          const now = board.workloads.find((candidate) => candidate.key === key)?.replicas ?? 0
          setReplicas(now + 1)
        }}
      />
      {chosen ? (
        <>
          <span className="soft">{chosen.replicas} → </span>
          <NumberField
            label="Replicas"
            hideLabel
            value={replicas}
            onChange={setReplicas}
            max={99_999}
            width={84}
          />
          <Button type="submit" variant="outlined">
            Try
          </Button>
        </>
      ) : null}
    </form>
  )
}

/** The controls that add a what-if without a mouse. */
export function Ask({ board, onAdd }: AskProps) {
  const existing = board.nodes.filter((node) => node.fate === 'stands')
  const pools = [...new Map(existing.map((node) => [node.pool, node])).values()]
  return (
    <div className="board-ask" role="group" aria-label="What if">
      <b>What if</b>
      <Choice
        label="Lose a zone"
        hideLabel
        value=""
        empty="lose a zone…"
        options={board.zones}
        width={140}
        onChange={(zone) =>
          onAdd({ kind: 'loss', label: 'topology.kubernetes.io/zone', value: zone })
        }
      />
      <Choice
        label="Add a node to a pool"
        hideLabel
        value=""
        empty="add a node to…"
        width={160}
        options={pools.map((node) => ({
          value: node.name,
          says: node.pool === '' ? `like ${node.name}` : node.pool,
        }))}
        onChange={(like) => onAdd({ kind: 'nodes', like, count: 1 })}
      />
      <Scale board={board} onAdd={onAdd} />
    </div>
  )
}
