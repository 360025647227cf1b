/** Versions that go are refused or warned of by the cluster itself, from the release on that was asked for. */
import { expect, it } from 'vitest'
import { guardObjects } from '~/core/releases/changes'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

const flow = (version: string) =>
  `apiVersion: flowcontrol.apiserver.k8s.io/${version}\nkind: FlowSchema\nmetadata: {name: lists}\nspec:\n  priorityLevelConfiguration: {name: exempt}\n`
const guard = { cluster: 'dill', target: '1.32', action: 'refuse' }

it('is written as a policy that matches exactly the old versions, and refuses them alone', async () => {
  const { gyrarch } = opened
  const guarded = await draftAndRun(gyrarch, 'renew.guard', guard)
  expect([guarded.state, guarded.proof?.map(({ holds }) => holds)]).toEqual(['done', [true]])
  const objects = (await gyrarch.fleet.objectsOf('dill')) ?? []
  const rule = expect.objectContaining({ apiVersions: [expect.stringMatching(/beta/)] }) as object
  const rules = guardObjects({ ...guard, namespace: null, action: 'refuse' })[0]?.spec
  expect(objects.find(({ kind }) => kind === 'ValidatingAdmissionPolicy')).toMatchObject({
    apiVersion: 'admissionregistration.k8s.io/v1',
    spec: { ...rules, matchConstraints: { matchPolicy: 'Exact' } },
  })
  expect(JSON.parse(JSON.stringify(rules))).toMatchObject({
    matchConstraints: { resourceRules: expect.arrayContaining([rule]) as object },
  })

  const refused = await gyrarch.changes.draft('manifest.apply', {
    cluster: 'dill',
    text: flow('v1beta3'),
  })
  expect(refused.findings.map(({ says }) => says).join()).toContain('no longer serves this version')
  const taken = await gyrarch.changes.draft('manifest.apply', { cluster: 'dill', text: flow('v1') })
  expect(taken.findings.filter(({ rule }) => rule.startsWith('policy.'))).toEqual([])

  const again = await gyrarch.changes.draft('renew.guard', guard)
  expect(again.findings.map(({ rule }) => rule)).toEqual(['guard.new'])
  await gyrarch.changes.takeBack(guarded.id)
  await gyrarch.outside.advance(60)
  const left = (await gyrarch.fleet.objectsOf('dill')) ?? []
  expect(left.filter(({ kind }) => kind.startsWith('ValidatingAdmissionPolicy'))).toEqual([])
})

it('counts in the namespace that it is for, and in no other', async () => {
  const { gyrarch } = opened
  await draftAndRun(gyrarch, 'renew.guard', { ...guard, namespace: 'market' })
  const issue = async (namespace: string) => {
    const { id, findings } = await gyrarch.changes.draft('manifest.apply', {
      cluster: 'dill',
      text: `apiVersion: policy/v1beta1\nkind: PodDisruptionBudget\nmetadata: {name: gate, namespace: ${namespace}}\nspec: {maxUnavailable: 1, selector: {matchLabels: {app: gate}}}\n`,
    })
    return { id, rules: findings.filter(({ rule }) => rule.startsWith('policy.')).length }
  }
  expect((await issue('market')).rules).toBe(1)
  expect((await issue('climate')).rules).toBe(0)
})

it('is not there before 1.30, and says so', async () => {
  const { findings } = await opened.gyrarch.changes.draft('renew.guard', {
    ...guard,
    cluster: 'burdock',
  })
  expect(findings.map(({ rule, level }) => [rule, level])).toEqual([['guard.served', 'stop']])
})
