/** The nodes of a rehearsal from moment to moment: drawn back and forth, or played. */
import { Pause, Play } from 'lucide-react'
import { useEffect, useMemo, useState } from 'react'
import { type FrameNode, nodesAt, type Rehearsal } from '~/core/rehearsal'
import { compareText, countText, durationText } from '~/core/units'
import { IconButton } from '../../kit/icon-button'
import { Level } from '../../kit/level'

/** How long a moment is shown while it plays (ms). */
const frameMs = 350

function stateText({ ready, cordoned }: FrameNode): string {
  if (!ready) return 'not ready'
  return cordoned ? 'takes nothing new' : 'ready'
}

function byCluster(
  nodes: ReadonlyMap<string, FrameNode>,
): ReadonlyMap<string, readonly FrameNode[]> {
  const clusters = new Map<string, FrameNode[]>()
  for (const node of [...nodes.values()].sort((a, b) => compareText(a.name, b.name)))
    clusters.set(node.cluster, [...(clusters.get(node.cluster) ?? []), node])
  return clusters
}

/** The moment that is shown, from 0 to the last; played, the next comes by itself. */
function usePlaying(last: number) {
  const [at, setAt] = useState(0)
  const [isPlaying, play] = useState(false)
  useEffect(() => {
    if (!isPlaying) return
    const tick = setInterval(() => setAt((was) => Math.min(last, was + 1)), frameMs)
    return () => clearInterval(tick)
  }, [isPlaying, last])
  useEffect(() => {
    if (at === last) play(false)
  }, [at, last])
  return {
    at,
    show: (moment: number) => {
      play(false)
      setAt(moment)
    },
    isPlaying,
    play: () => {
      if (at === last) setAt(0)
      play(!isPlaying)
    },
  }
}

export function Film({ rehearsal }: { readonly rehearsal: Rehearsal }) {
  const { frames, steps } = rehearsal
  const last = frames.length - 1
  const { at, show, isPlaying, play } = usePlaying(last)
  const first = useMemo(() => nodesAt(frames, 0), [frames])
  const clusters = useMemo(() => byCluster(nodesAt(frames, at)), [frames, at])
  const frame = frames[at]
  if (!frame || last < 1) return null
  const going = steps.filter(
    ({ startedAt, endedAt }) =>
      startedAt !== null && startedAt <= frame.at && (endedAt === null || endedAt > frame.at),
  )
  return (
    <div className="film">
      <div className="film-line">
        <IconButton says={isPlaying ? 'Pause' : 'Play the rehearsal'} onClick={play}>
          {isPlaying ? <Pause size={15} aria-hidden /> : <Play size={15} aria-hidden />}
        </IconButton>
        <Level
          label="Moment of the rehearsal"
          isFlat
          value={at}
          max={last}
          step={1}
          unit=""
          text={(index) => `after ${durationText(frames[index]?.at ?? 0)}`}
          onChange={show}
        />
        <span className="mono film-at">{durationText(frame.at)}</span>
      </div>
      <p className="soft film-says">
        {going.length === 0
          ? 'All is done.'
          : going
              .slice(0, 3)
              .map(({ group, says }) => `${group}: ${says}`)
              .join(' · ')}
        {going.length > 3 ? ` · and ${countText(going.length - 3, 'step')} more` : ''}
        {frame.waiting > 0
          ? ` · ${countText(frame.waiting, 'pod waits', 'pods wait')} for a place`
          : ''}
        {frame.starting > 0 ? ` · ${countText(frame.starting, 'pod starts', 'pods start')}` : ''}
      </p>
      {[...clusters].map(([cluster, nodes]) => (
        <ul key={cluster} className="film-nodes" aria-label={`Nodes of ${cluster}`}>
          {nodes.map((node) => (
            <li
              key={node.name}
              className={[
                'film-node',
                node.ready ? '' : 'down',
                node.cordoned ? 'closed' : '',
                first.get(`${cluster}/${node.name}`)?.release === node.release ? '' : 'moved',
              ].join(' ')}
              title={`${node.name}: ${stateText(node)}`}
            >
              <span className="film-name">{node.name.replace(`${cluster}-`, '')}</span>
              <span className="mono">{node.release}</span>
              <span className="soft">
                {countText(node.pods, 'pod')}
                {node.ready && !node.cordoned ? '' : `, ${stateText(node)}`}
              </span>
            </li>
          ))}
        </ul>
      ))}
    </div>
  )
}
