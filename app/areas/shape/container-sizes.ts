/** A right size over the containers of a pod. */
import { type Json, podRequest } from '~/core/objects'
import { type RightSize, sharedOut } from '~/core/placement'
import { MiB } from '~/core/units'

export interface ContainerSize {
  readonly name: string
  readonly cpuMilli: number
  readonly memoryMiB: number
}

type Container = NonNullable<NonNullable<Parameters<typeof podRequest>[0]['containers']>[number]>

/** What each container is to ask for, so that all of them ask for what is proposed. */
export function containerSizes(
  containers: readonly Container[],
  { cpu, memory }: Pick<RightSize, 'cpu' | 'memory'>,
): readonly ContainerSize[] {
  const requests = containers.map((container) => podRequest({ containers: [container] }, ''))
  const cpuMilli = sharedOut(
    cpu.proposed,
    requests.map((request) => request.get('cpu') ?? 0),
  )
  const memoryMiB = sharedOut(
    Math.ceil(memory.proposed / MiB),
    requests.map((request) => request.get('memory') ?? 0),
  )
  return containers.map(({ name }, index) => ({
    name: name ?? '',
    cpuMilli: cpuMilli[index] ?? 0,
    memoryMiB: memoryMiB[index] ?? 0,
  }))
}

/** The container as it is applied: it asks for nothing of what it is to have none of. */
export const requesting = ({ name, cpuMilli, memoryMiB }: ContainerSize): Json => ({
  name,
  resources: {
    requests: {
      ...(cpuMilli === 0 ? {} : { cpu: `${cpuMilli}m` }),
      ...(memoryMiB === 0 ? {} : { memory: `${memoryMiB}Mi` }),
    },
  },
})
