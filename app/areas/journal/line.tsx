import { data } from 'react-router'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { pathOf, To } from '../../parts/to'
import { clockText } from '../../parts/when'
import type { Route } from './+types/line'

export const meta: Route.MetaFunction = ({ params }) => [
  { title: `Line ${params.seq} · Journal · Gyrarch` },
]

export async function loader({ params, context }: Route.LoaderArgs) {
  const seq = /^\d{1,12}$/.test(params.seq) ? Number(params.seq) : -1
  const [line] =
    seq < 1 ? [] : await context.get(gyrarchContext).journal({ after: seq - 1, limit: 1 })
  if (line?.seq !== seq)
    throw data(`The journal has no line ${params.seq.slice(0, 20)}.`, { status: 404 })
  return { line }
}

export default function Line({ loaderData }: Route.ComponentProps) {
  const { line } = loaderData
  const about = line.about === null ? null : pathOf(line.about)
  return (
    <Page
      title={`Line ${line.seq}`}
      beside={<span className="soft mono">{line.kind}</span>}
      reason={
        <p>
          <To path="/journal">The whole journal</To>
        </p>
      }
    >
      <p style={{ fontSize: 16, maxWidth: '70ch' }}>{line.says}</p>
      <dl className="facts" style={{ marginTop: 16, maxWidth: 560 }}>
        <div>
          <dt>on the clock</dt>
          <dd>{clockText(line.at, { year: true })} UTC</dd>
        </div>
        <div>
          <dt>on the wall</dt>
          <dd>{line.wall}</dd>
        </div>
        <div>
          <dt>by</dt>
          <dd>{line.by}</dd>
        </div>
        {line.change === null ? null : (
          <div>
            <dt>change</dt>
            <dd>
              <To path={`/changes/${line.change}`} className="mono">
                {line.change}
              </To>
            </dd>
          </div>
        )}
        {line.about === null ? null : (
          <div>
            <dt>about</dt>
            <dd>
              {about === null ? (
                <span className="mono">{line.about}</span>
              ) : (
                <To path={about} className="mono">
                  {line.about}
                </To>
              )}
            </dd>
          </div>
        )}
      </dl>
    </Page>
  )
}
