/** Where a page is about one cluster and none is aimed at: what it is for, and the clusters to point at. */
import Button from '@mui/material/Button'
import { useMemo, useState } from 'react'
import { useNavigate } from 'react-router'
import { Empty } from '../kit/empty'
import { Field } from '../kit/field'
import { useAddress } from './to'

const shownAtOnce = 24

export function ChooseCluster({
  clusters,
  path,
  title,
  says,
}: {
  readonly clusters: readonly string[]
  readonly path: string
  readonly title: string
  readonly says: string
}) {
  const navigate = useNavigate()
  const address = useAddress()
  const [find, setFind] = useState('')
  const matches = useMemo(
    () => clusters.filter((cluster) => cluster.includes(find.trim().toLowerCase())),
    [clusters, find],
  )
  if (clusters.length === 0)
    return (
      <Empty
        title={title}
        first={
          <Button variant="contained" onClick={() => void navigate(address('/raise'))}>
            Raise a cluster
          </Button>
        }
      >
        There is no cluster yet. Raise one, and this view opens for it.
      </Empty>
    )
  return (
    <Empty
      title={title}
      first={
        <>
          {clusters.length > shownAtOnce ? (
            <Field
              label="Find a cluster"
              hideLabel
              isFind
              placeholder="Find ( / )"
              value={find}
              onChange={setFind}
            />
          ) : null}
          {matches.slice(0, shownAtOnce).map((cluster) => (
            <Button
              key={cluster}
              variant="outlined"
              onClick={() => void navigate(address(path, { aim: `cluster/${cluster}` }))}
            >
              {cluster}
            </Button>
          ))}
          {matches.length > shownAtOnce ? (
            <span className="soft">and {matches.length - shownAtOnce} more</span>
          ) : null}
        </>
      }
    >
      {says}
    </Empty>
  )
}
