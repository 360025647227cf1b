import { describe, expect, it } from 'vitest'
import { fieldsAt, knownKinds, placeIn } from '.'

const text = `apiVersion: v1
kind: ConfigMap
metadata:
  name: a
---
# the desk
apiVersion: apps/v1
kind: Deployment
metadata: {name: desk}
spec:
  replicas: 2
  template:
    spec:
      containers:
      - name: desk
        ports:
          - containerPort: 8080

        resources:
          requests:
            cpu: 100m
      - name: side
        image: x
      tolerations:
        - key: use
`
const at = (line: string, column = 0) => placeIn(text, text.split('\n').indexOf(line), column)

describe('where a line of a manifest is', () => {
  it.each<[string, readonly string[]]>([
    ['metadata: {name: desk}', []],
    ['  replicas: 2', ['spec']],
    ['      - name: desk', ['spec', 'template', 'spec', 'containers']],
    ['        ports:', ['spec', 'template', 'spec', 'containers']],
    ['          - containerPort: 8080', ['spec', 'template', 'spec', 'containers', 'ports']],
    ['            cpu: 100m', ['spec', 'template', 'spec', 'containers', 'resources', 'requests']],
    ['        image: x', ['spec', 'template', 'spec', 'containers']],
    ['        - key: use', ['spec', 'template', 'spec', 'tolerations']],
  ])('%j', (line, path) => expect(at(line)).toEqual({ kind: 'Deployment', path }))
  it('tells an empty line by its column', () => {
    expect(at('', 8).path).toEqual(['spec', 'template', 'spec', 'containers'])
    expect(at('', 10).path).toEqual(['spec', 'template', 'spec', 'containers', 'ports'])
    expect(at('', 6).path).toEqual(['spec', 'template', 'spec'])
  })
  it('keeps to its own document', () =>
    expect(placeIn(text, 3)).toEqual({ kind: 'ConfigMap', path: ['metadata'] }))
})

describe('the fields of a kind', () => {
  it('are told at every depth', () => {
    expect(fieldsAt('Deployment', ['spec'])).toContain('progressDeadlineSeconds')
    expect(
      fieldsAt('Deployment', [
        'spec',
        'template',
        'spec',
        'containers',
        'readinessProbe',
        'httpGet',
      ]),
    ).toEqual(['path', 'port', 'scheme', 'host'])
    expect(fieldsAt('CronJob', ['spec', 'jobTemplate', 'spec', 'template', 'spec'])).toContain(
      'tolerations',
    )
    expect(fieldsAt('Service', ['spec'])).not.toContain('replicas')
  })
  it('are none where nothing is known', () => {
    expect(fieldsAt('Deployment', ['spec', 'nothing'])).toEqual([])
    expect(fieldsAt('constructor', [])).toEqual(['apiVersion', 'kind', 'metadata'])
  })
  it('are known for every kind that is known', () => {
    for (const kind of knownKinds)
      expect(fieldsAt(kind, []).length, kind).toBeGreaterThan(kind === 'Namespace' ? 2 : 3)
  })
})
