// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { parseAllDocuments } from 'yaml'
import { clusterOf } from '~/core/fleet'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press } from '../../testing/pages'
import * as namespaces from './namespaces'

const pages = pagesOf({ '/shape/namespaces': namespaces })
const ofCedar = '/shape/namespaces?aim=cluster/cedar'

const form = (): HTMLElement => screen.getByRole('region', { name: 'A new namespace' })
const fill = async (label: string, text: string): Promise<void> => {
  const field = within(form()).getByLabelText(label)
  await userEvent.clear(field)
  if (text !== '') await userEvent.type(field, text)
}
const whoCan = (): readonly string[] =>
  within(screen.getByRole('list', { name: 'Subjects that can' }))
    .getAllByRole('listitem')
    .map(({ textContent }) => textContent)

describe('namespaces', () => {
  it('without an aim a cluster is chosen first', async () => {
    await pages.open('/shape/namespaces')
    expect(screen.getByText('Namespaces belong to a cluster')).toBeTruthy()
    expect(screen.queryByRole('region', { name: 'A new namespace' })).toBeNull()
  })

  it('are listed with what their pods ask for', async () => {
    await pages.open(ofCedar)
    const view = await pages.gyrarch.fleet.view()
    const names = clusterOf(view, 'cedar')?.namespaces ?? []
    expect(names.length).toBeGreaterThan(2)
    for (const name of names)
      expect(screen.getAllByText(name, { selector: '.mono' }).length).toBeGreaterThan(0)
  })
})

describe('a new namespace', () => {
  it('is drafted as objects: itself, its quota, its limits and who rolls out in it', async () => {
    await pages.open(ofCedar)
    await fill('Name', 'frost')
    await fill('CPU', '6')
    await fill('Group that rolls out', 'growers')
    await press('Draft the namespace')
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('manifest.apply')
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
    const { cluster, text } = intent as { cluster: string; text: string }
    expect(cluster).toBe('cedar')
    const objects = parseAllDocuments(text).map(
      (document) => document.toJS() as { kind: string; spec?: { hard?: Record<string, unknown> } },
    )
    expect(objects.map((object) => object.kind)).toEqual(
      expect.arrayContaining(['Namespace', 'ResourceQuota', 'RoleBinding']),
    )
    const hard = objects.find((object) => object.kind === 'ResourceQuota')?.spec?.hard ?? {}
    expect(Object.values(hard).map(String)).toContain('6')
  })

  it('is not drafted with a name that no namespace can have', async () => {
    await pages.open(ofCedar)
    await fill('Name', 'Frost House')
    await press('Draft the namespace')
    expect(await within(form()).findByText(/up to 63 lower-case letters/)).toBeTruthy()
    expect(screen.queryByTestId('elsewhere')).toBeNull()
  })

  it('is not drafted with an amount that cannot be read', async () => {
    await pages.open(ofCedar)
    await fill('Name', 'frost')
    await fill('Memory', 'a lot')
    await press('Draft the namespace')
    expect(await within(form()).findByText('Memory is written like 4, 500m or 16Gi.')).toBeTruthy()
  })

  it('once it ran stands in the list with its quota', async () => {
    const text = [
      'apiVersion: v1\nkind: Namespace\nmetadata: {name: thaw}\n',
      'apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: all, namespace: thaw}\nspec: {hard: {requests.cpu: "2"}}\n',
    ].join('---\n')
    const { state } = await draftAndRun(pages.gyrarch, 'manifest.apply', { cluster: 'cedar', text })
    expect(state).toBe('done')
    await pages.open(ofCedar)
    const row = screen.getAllByText('thaw', { selector: '.mono' })[0]?.closest('[role=row], tr')
    expect(row?.textContent).toContain('0 m of 2,000 m')
  })
})

describe('who can', () => {
  it('answers for a verb and a resource, and for others at once', async () => {
    await pages.open(ofCedar)
    const get = whoCan()
    expect(get.length).toBeGreaterThan(0)
    const resource = screen.getByLabelText('Resource')
    await userEvent.clear(resource)
    await userEvent.type(resource, 'unicorns')
    const nobody = whoCan()
    expect(nobody.length).toBeLessThanOrEqual(get.length)
    for (const line of nobody) expect(get.join()).toContain(line.slice(0, 8))
  })
})
