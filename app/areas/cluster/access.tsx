/** The way into a cluster: for duty here, for everybody else where their rights are. */
import { AccessFile } from '../../parts/access-file'
import { To } from '../../parts/to'

export function Access({ name, answers }: { readonly name: string; readonly answers: boolean }) {
  return (
    <div>
      <h3>Access file</h3>
      <p className="soft">
        A kubeconfig for duty, who may do everything. Any client of the open API takes it. For a
        team with rights of its own: <To path={`/shape/namespaces?aim=cluster/${name}`}>who can</To>
        .
      </p>
      <AccessFile access={{ cluster: name, as: 'duty' }} disabled={!answers} />
      {answers ? null : <p className="soft">once its API answers</p>}
    </div>
  )
}
