// @vitest-environment jsdom
import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { StorageReport } from '~/core/contract'
import { demoFleet } from '~/core/testing/demo-fleet'
import { DiskWall } from './disk-wall'
import { withoutLayout } from '~/app/testing/without-layout'

withoutLayout()

const storage = demoFleet().clusters.find((cluster) => cluster.name === 'cedar')?.storage
if (!storage) throw new Error('cedar keeps volumes')

function show(more: Partial<Parameters<typeof DiskWall>[0]> = {}) {
  const onVolume = vi.fn()
  const view = render(
    <DiskWall
      storage={storage as StorageReport}
      height={400}
      volume={null}
      gone={new Set()}
      lost={new Set()}
      degraded={new Set()}
      onVolume={onVolume}
      {...more}
    />,
  )
  return { ...view, onVolume }
}
const copies = (): readonly HTMLElement[] => screen.getAllByRole('button')

describe('the disk wall', () => {
  it('has each copy once, with where it lies and how it is; Tab reaches one of them', () => {
    const held = storage.volumes.reduce((sum, volume) => sum + volume.replicas.length, 0)
    show()
    expect(copies()).toHaveLength(held)
    expect(copies().filter((copy) => copy.getAttribute('tabindex') === '0')).toHaveLength(1)
    expect(copies()[0]?.getAttribute('aria-label')).toMatch(/^\S+ on \S+: .+ of .+, whole$/)
  })

  it('is walked by arrows: up and down in a disk, left and right from disk to disk', async () => {
    show()
    const [first] = copies()
    first?.focus()
    await userEvent.keyboard('{ArrowRight}')
    const moved = document.activeElement as SVGElement | null
    expect(moved?.dataset['column']).not.toBe(first?.dataset['column'])
    await userEvent.keyboard('{ArrowLeft}')
    expect(document.activeElement).toBe(first)
  })

  it('hands on the volume of a copy, and marks all copies of the one that is chosen', async () => {
    const { onVolume, unmount } = show()
    const name = storage.volumes[0]?.name ?? ''
    const ofVolume = screen.getAllByRole('button', { name: new RegExp(`^${name} on `) })
    ofVolume[0]?.focus()
    await userEvent.keyboard('{Enter}')
    expect(onVolume).toHaveBeenCalledWith(name)
    unmount()
    show({ volume: name })
    expect(screen.getAllByRole('button', { pressed: true })).toHaveLength(ofVolume.length)
  })

  it('shows what a loss takes away where it lay, and what has its last copy elsewhere', () => {
    const volume = storage.volumes.find((it) => it.replicas.length > 1)
    const copy = volume?.replicas[0]
    if (!volume || !copy) throw new Error('cedar keeps no volume twice')
    const label = `${copy.node}/${copy.disk}`
    const { container } = show({ gone: new Set([label]), degraded: new Set([volume.name]) })
    const states = [...container.querySelectorAll<SVGElement>('g.copy')]
      .filter((it) => it.getAttribute('aria-label')?.startsWith(`${volume.name} on `))
      .map((it) => [it.dataset['column'] === label, it.dataset['state']])
    expect(states.filter(([isGone]) => isGone)).toEqual([[true, 'away']])
    expect(states.filter(([isGone]) => !isGone).every(([, state]) => state === 'last')).toBe(true)
  })

  it('tells what is lost with the disk from what is only away', () => {
    const volume = storage.volumes[0]
    if (!volume) throw new Error('cedar keeps no volume')
    const gone = new Set(storage.disks.map((disk) => `${disk.node}/${disk.name}`))
    const { container } = show({ gone, lost: new Set([volume.name]) })
    const states = new Map(
      [...container.querySelectorAll<SVGElement>('g.copy')].map((it) => [
        it.getAttribute('aria-label')?.split(' on ')[0] ?? '',
        it.dataset['state'],
      ]),
    )
    expect(states.get(volume.name)).toBe('lost')
    expect([...states.values()].filter((state) => state === 'away')).toHaveLength(states.size - 1)
    expect(container.querySelectorAll('.zone[data-away="true"]').length).toBeGreaterThan(0)
  })
})
