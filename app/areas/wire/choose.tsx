/** Said where a page is about one cluster and none is aimed at. */
import Button from '@mui/material/Button'
import { useNavigate } from 'react-router'
import { useAddress } from '../../parts/to'

export function ChooseCluster({
  clusters,
  path,
  says,
}: {
  readonly clusters: readonly string[]
  readonly path: string
  readonly says: string
}) {
  const navigate = useNavigate()
  const address = useAddress()
  return (
    <div className="wire-page">
      <p>{says}</p>
      <div className="acts">
        {clusters.slice(0, 24).map((cluster) => (
          <Button
            key={cluster}
            variant="outlined"
            onClick={() => void navigate(address(path, { aim: `cluster/${cluster}` }))}
          >
            {cluster}
          </Button>
        ))}
      </div>
    </div>
  )
}
