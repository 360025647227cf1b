/** Who may do what in a cluster, asked both ways, and an access file for whoever may. */
import { useMemo, useState } from 'react'
import { accountSubject, type Right, whatCan, whoCan } from '~/core/fleet'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { SuggestField } from '../../kit/suggest-field'
import { AccessFile } from '../../parts/access-file'

/** An access file for a subject of bindings; somebody of a group has a name of their own. */
function AccessOf({ cluster, subject }: { readonly cluster: string; readonly subject: string }) {
  const [member, setMember] = useState('')
  const [kind = '', named = ''] = subject.split(' ')
  const [namespace = '', account = ''] = named.split('/')
  // The API signs those in by itself.
  if (kind !== 'ServiceAccount' && named.startsWith('system:')) return null
  if (kind === 'Group')
    return (
      <>
        <h3>Access for one of {named}</h3>
        <Field label="Their name" mono value={member} onChange={setMember} width={200} />
        <AccessFile
          access={{ cluster, as: member.trim(), groups: [named] }}
          disabled={member.trim() === ''}
        />
      </>
    )
  const as = kind === 'ServiceAccount' ? accountSubject(namespace, account).name : named
  return (
    <>
      <h3>Access for {named}</h3>
      <AccessFile access={{ cluster, as }} />
    </>
  )
}

/** What one of the subjects can do, and an access file for it. */
function WhatCan({ cluster, signs, rights }: Bound) {
  const [subject, setSubject] = useState('')
  const subjects = useMemo(
    () => [...new Set(rights.map((right) => right.subject))].sort(),
    [rights],
  )
  const what = useMemo(() => whatCan(rights, subject), [rights, subject])
  return (
    <>
      <h3>What can</h3>
      <Choice
        label="Subject"
        hideLabel
        value={subject}
        empty="a subject…"
        options={subjects}
        onChange={setSubject}
        width={300}
      />
      {subject === '' ? null : (
        <ul className="facts" aria-label={`What ${subject} can`}>
          {what.map((right, i) => (
            <li key={i}>
              <span>
                {right.verbs.join(', ')} {right.resources.join(', ')}
              </span>
              <span className="source">{right.namespace ?? 'anywhere'}</span>
            </li>
          ))}
        </ul>
      )}
      {subject === '' || !signs ? null : (
        <AccessOf key={subject} cluster={cluster} subject={subject} />
      )}
    </>
  )
}

interface Bound {
  readonly cluster: string
  /** Whether Gyrarch signs people in there. */
  readonly signs: boolean
  readonly rights: readonly Right[]
}

export function WhoCan({
  cluster,
  signs,
  rights,
  namespaces,
}: Bound & { readonly namespaces: readonly string[] }) {
  const [verb, setVerb] = useState('get')
  const [resource, setResource] = useState('pods')
  const [namespace, setNamespace] = useState('')
  const who = useMemo(
    () => whoCan(rights, verb.trim(), resource.trim(), namespace === '' ? null : namespace),
    [rights, verb, resource, namespace],
  )
  return (
    <section aria-label="Who can">
      <h3>Who can</h3>
      <div className="who-can">
        <SuggestField
          label="Verb"
          mono
          value={verb}
          onChange={setVerb}
          width={110}
          suggestions={['get', 'list', 'watch', 'create', 'update', 'patch', 'delete']}
        />
        <Field
          label="Resource"
          mono
          value={resource}
          onChange={setResource}
          width={190}
          help="like pods/log or deployments.apps"
        />
        <Choice
          label="In namespace"
          value={namespace}
          empty="anywhere"
          options={namespaces}
          onChange={setNamespace}
          width={170}
        />
      </div>
      <ul className="facts" aria-label="Subjects that can">
        {who.map((whoCan) => (
          <li key={whoCan.subject}>
            <span>{whoCan.subject}</span>
            <span className="source">
              {whoCan.by.join('; ')}
              {whoCan.names.length > 0 ? `, only ${whoCan.names.join(', ')}` : ''}
            </span>
          </li>
        ))}
        {who.length === 0 ? <li className="soft">No binding lets anybody.</li> : null}
      </ul>
      <WhatCan cluster={cluster} signs={signs} rights={rights} />
    </section>
  )
}
