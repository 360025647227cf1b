/** A change as it is first written down: a draft of which nothing is known yet. */
import type { ChangeRow } from '../records/models'
import type { CreationAttributes } from 'sequelize'

/** The site that an intent names, or null. */
export const siteIn = (intent: unknown): string | null => {
  const site =
    typeof intent === 'object' && intent !== null
      ? (intent as Record<string, unknown>)['site']
      : null
  return typeof site === 'string' ? site : null
}

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
  site: siteIn(intent),
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
