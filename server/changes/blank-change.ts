/** A change as it is first written down: a draft of which nothing is known yet. */
import type { ChangeRow } from '../records/models'
import type { CreationAttributes } from 'sequelize'

export const blankChange = (
  kind: string,
  label: string,
  intent: unknown,
): Omit<CreationAttributes<ChangeRow>, 'number'> => ({
  kind,
  label,
  intent,
  title: null,
  version: 1,
  state: 'draft',
  direction: 'on',
  site: null,
  createdAt: new Date(),
  amendedAt: new Date(),
  startedAt: null,
  endedAt: null,
  accepted: [],
  findings: null,
  plan: null,
  planDigest: null,
  proof: null,
  subjects: null,
  waitsFor: null,
  cause: null,
})
