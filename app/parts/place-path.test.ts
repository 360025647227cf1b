import { describe, expect, it } from 'vitest'
import { pathOfPlace } from './place-path'

describe('the page of a place', () => {
  it.each([
    ['cluster/cedar', '/clusters/cedar'],
    ['pool/cedar/general', '/clusters/cedar'],
    ['node/cedar/cedar-1', '/clusters/cedar?on=cedar-1'],
    ['backup/cedar/b-7', '/clusters/cedar?show=keeping'],
    [
      'workload/bramble/Deployment/market/desk',
      '/shape/workloads?aim=cluster%2Fbramble&workload=Deployment%2Fmarket%2Fdesk',
    ],
    [
      'object/bramble/Service/market/desk',
      '/wire/traffic?aim=cluster%2Fbramble&service=market%2Fdesk',
    ],
    [
      'object/bramble/NetworkPolicy/market/deny',
      '/wire/policies?aim=cluster%2Fbramble&policy=market%2Fdeny',
    ],
    ['object/bramble/Pod/market/desk-1', '/wire/walk?aim=cluster%2Fbramble&from=market%2Fdesk-1'],
    ['object/bramble/Namespace//market', '/shape/namespaces?aim=cluster%2Fbramble'],
    [
      'object/bramble/ConfigMap/market/desk',
      '/shape/manifests?aim=cluster%2Fbramble&object=ConfigMap%2Fmarket%2Fdesk',
    ],
    [
      'object/bramble/PersistentVolume//v-1',
      '/shape/manifests?aim=cluster%2Fbramble&object=PersistentVolume%2F%2Fv-1',
    ],
    ['record/mossgate/cedar', '/ground/names?site=mossgate&name=cedar'],
    ['address/mossgate/10.20.16.4', '/ground?site=mossgate&address=10.20.16.4'],
    ['firewall/mossgate/lamp', '/wire/firewall?site=mossgate&rule=lamp'],
    ['host/mossgate/h-1', '/ground/packing?site=mossgate&host=h-1'],
    ['machine/mossgate/m-1', '/ground?site=mossgate'],
    ['site/mossgate', '/ground?site=mossgate'],
    ['nothing/known', '/fleet'],
    ['', '/fleet'],
  ])('%s is %s', (ref, path) => expect(pathOfPlace(ref)).toBe(path))

  it('never speaks of the moment that is looked at, which `at` names', () => {
    const refs = ['node/c/n', 'backup/c/b', 'workload/c/Deployment/a/b', 'object/c/Pod/a/b']
    for (const ref of refs) expect(pathOfPlace(ref)).not.toMatch(/[?&]at=/)
  })

  it('carries names that need it whole', () => {
    const name = 'a b&c=d/é'
    const query = new URL(pathOfPlace(`record/mossgate/${name}`), 'http://here').searchParams
    expect(query.get('name')).toBe(name)
  })
})
