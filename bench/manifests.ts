/** What a text of many documents costs: found in it what stops being served, and written anew. */
import { auditManifests, convertManifests } from '../core/manifests'
import { apiDocuments } from '../core/objects'
import { type Figure, middle } from './figure'

const ingress = (nth: number): string => `# gate ${nth}
apiVersion: extensions/v1beta1
kind: Ingress
metadata: { name: gate-${nth}, namespace: market }
spec:
  rules:
    - host: gate-${nth}.fernhollow.example
      http:
        paths:
          - path: /seeds # all of them
            backend:
              serviceName: gate
              servicePort: 80
`

const documents = (count: number): string =>
  Array.from({ length: count }, (_, nth) => ingress(nth)).join('---\n')

function taken(work: () => void): number {
  const from = performance.now()
  work()
  return performance.now() - from
}

export function manifestFigures(): readonly Figure[] {
  const text = documents(20_000)
  // In pairs, one after the other: what else the machine does falls on both alike.
  const pairs = Array.from({ length: 3 }, () => ({
    parsing: taken(() => void apiDocuments(text)),
    audit: taken(() => void auditManifests(text, '1.33')),
  }))
  const parsing = middle(pairs.map((pair) => pair.parsing)).median
  const audit = middle(pairs.map((pair) => pair.audit)).median
  const fewer = documents(5000)
  return [
    {
      name: 'audit of 20,000 documents',
      value: audit,
      unit: 'ms',
      aim: { atMost: 1.25 * parsing },
      detail: `parsing alone takes ${Math.round(parsing)} ms`,
    },
    {
      name: 'conversion of 5,000 documents',
      value: middle(
        Array.from({ length: 3 }, () => taken(() => void convertManifests(fewer, '1.33'))),
      ).median,
      unit: 'ms',
      aim: { atMost: 10_000 },
    },
  ]
}
