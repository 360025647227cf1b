/** Layered files are judged as what they become in each environment. */
import { describe, expect, it } from 'vitest'
import { isLayered, layeredAudit } from './layered-audit'

const base = `layers: 1
base:
  - apiVersion: policy/v1beta1
    kind: PodDisruptionBudget
    metadata: { name: climate-loop, namespace: climate }
    spec: { minAvailable: 1, selector: { matchLabels: { app: climate-loop } } }
  - apiVersion: v1
    kind: ConfigMap
    metadata: { name: climate-loop, namespace: climate }
    data: { every: '30' }
`
const environments = `environments:
  hall: {}
  tarn:
    fields:
`

describe('a layered file', () => {
  it('tells an object that goes once, with the environments that hold it and the layer that says its version', () => {
    const text = `${base}environments: { hall: {}, tarn: {} }\n`
    const read = layeredAudit(text, '1.25')
    expect(read.ok && read.audit.unrendered).toEqual([])
    expect(read.ok && read.audit.found).toEqual([
      {
        apiVersion: 'policy/v1beta1',
        kind: 'PodDisruptionBudget',
        namespace: 'climate',
        name: 'climate-loop',
        removedIn: '1.25',
        gone: true,
        successor: 'policy/v1',
        layer: 'base',
        line: 3,
        environments: ['hall', 'tarn'],
      },
    ])
  })

  it('is judged by its base where there is no environment', () => {
    const read = layeredAudit(`${base}environments: {}\n`, '1.25')
    expect(read.ok && read.audit.found.map(({ environments: held }) => held)).toEqual([[]])
  })

  it('is told from manifests by its first field, and says what is wrong with it', () => {
    expect(isLayered(base)).toBe(true)
    expect(isLayered('apiVersion: v1\nkind: ConfigMap\n')).toBe(false)
    expect(layeredAudit(`${base}${environments}`, '1.25').ok).toBe(false)
    expect(layeredAudit('layers: 1\nbase: 7\nenvironments: {}\n', '1.25')).toEqual({
      ok: false,
      says: expect.stringContaining('base') as string,
    })
  })
})
