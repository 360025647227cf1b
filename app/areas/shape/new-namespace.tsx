/** A namespace that is made with its quota and levels. */

import { useState } from 'react'
import { sizeAllowance, storageAllowance } from '../../../core/manifests'
import { DraftChange } from '../../parts/draft-change'
import type { Route } from './+types/namespaces'

export function NewNamespace({
  cluster,
  offers,
}: {
  readonly cluster: string
  readonly offers: Route.ComponentProps['loaderData']['offers']
}) {
  const [name, setName] = useState('')
  const [cpu, setCpu] = useState('4')
  const [memory, setMemory] = useState('16Gi')
  const [pods, setPods] = useState('20')
  const [level, setLevel] = useState('baseline')
  const [group, setGroup] = useState('')
  const [sizes, setSizes] = useState<readonly string[]>([])
  const [classes, setClasses] = useState<readonly string[]>([])
  const allowances = [
    ...(sizes.length > 0 ? [`${sizeAllowance}: ${JSON.stringify(sizes.join(','))}`] : []),
    ...(classes.length > 0 ? [`${storageAllowance}: ${JSON.stringify(classes.join(','))}`] : []),
  ]
  const text = [
    `apiVersion: v1\nkind: Namespace\nmetadata:\n  name: ${name}\n  labels: {${levelLabel}: ${level}}${allowances.length > 0 ? `\n  annotations: {${allowances.join(', ')}}` : ''}`,
    `apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: room, namespace: ${name}}\nspec:\n  hard: {requests.cpu: ${JSON.stringify(cpu)}, requests.memory: ${JSON.stringify(memory)}, pods: ${JSON.stringify(pods)}}`,
    `apiVersion: v1\nkind: LimitRange\nmetadata: {name: usual, namespace: ${name}}\nspec:\n  limits: [{type: Container, defaultRequest: {cpu: 100m, memory: 128Mi}}]`,
    ...(group === ''
      ? []
      : [
          `apiVersion: rbac.authorization.k8s.io/v1\nkind: Role\nmetadata: {name: roll-out, namespace: ${name}}\nrules:\n  - {apiGroups: [apps, batch], resources: ['*'], verbs: ['*']}\n  - {apiGroups: [''], resources: [pods, pods/log, services, configmaps], verbs: ['*']}`,
          `apiVersion: rbac.authorization.k8s.io/v1\nkind: RoleBinding\nmetadata: {name: ${group}, namespace: ${name}}\nroleRef: {apiGroup: rbac.authorization.k8s.io, kind: Role, name: roll-out}\nsubjects: [{kind: Group, name: ${group}}]`,
        ]),
  ].join('\n---\n')
  return (
    <section aria-label="A new namespace">
      <h3>A new namespace</h3>
      <div className="namespace-form">
        <label>
          Name{' '}
          <input
            className="shape-field mono"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label>
          CPU{' '}
          <input
            className="shape-field mono"
            value={cpu}
            onChange={(event) => setCpu(event.target.value)}
            size={6}
          />
        </label>
        <label>
          Memory{' '}
          <input
            className="shape-field mono"
            value={memory}
            onChange={(event) => setMemory(event.target.value)}
            size={6}
          />
        </label>
        <label>
          Pods{' '}
          <input
            className="shape-field mono"
            value={pods}
            onChange={(event) => setPods(event.target.value)}
            size={4}
          />
        </label>
        <label>
          Pod security{' '}
          <select
            className="shape-field"
            value={level}
            onChange={(event) => setLevel(event.target.value)}
          >
            {['privileged', 'baseline', 'restricted'].map((entry) => (
              <option key={entry}>{entry}</option>
            ))}
          </select>
        </label>
        <label>
          Group that rolls out{' '}
          <input
            className="shape-field mono"
            value={group}
            onChange={(event) => setGroup(event.target.value)}
            size={12}
          />
        </label>
      </div>
      <Allowed
        title="Machine sizes it may use"
        all={offers.sizes}
        chosen={sizes}
        onChange={setSizes}
      />
      <Allowed
        title="Storage classes it may use"
        all={offers.classes}
        chosen={classes}
        onChange={setClasses}
      />
      <DraftChange
        kind="manifest.apply"
        intent={{ cluster, text }}
        variant="contained"
        disabled={!/^[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?$/.test(name)}
      >
        Draft the namespace
      </DraftChange>
    </section>
  )
}

export const levelLabel = 'pod-security.kubernetes.io/enforce'
/** Ticks for what is allowed; none ticked is no limit. */
export function Allowed({
  title,
  all,
  chosen,
  onChange,
}: {
  readonly title: string
  readonly all: readonly string[]
  readonly chosen: readonly string[]
  readonly onChange: (chosen: readonly string[]) => void
}) {
  if (all.length === 0) return null
  return (
    <fieldset className="ticks">
      <legend>{title}</legend>
      {all.map((name) => (
        <label key={name}>
          <input
            type="checkbox"
            checked={chosen.includes(name)}
            onChange={() =>
              onChange(
                chosen.includes(name)
                  ? chosen.filter((otherName) => otherName !== name)
                  : [...chosen, name],
              )
            }
          />{' '}
          <span className="mono">{name}</span>
        </label>
      ))}
      {chosen.length === 0 ? <span className="soft">any</span> : null}
    </fieldset>
  )
}
