/** A change as the API tells it: intent, findings, plan, steps, what failed, proof. */
import { z } from 'zod'
import { asGiven, estimate, failure, remedyChange, saidShape } from './shapes'

export const changeState = z.enum([
  'draft',
  'waiting',
  'scheduled',
  'running',
  'halted',
  'undoing',
  'done',
  'taken-back',
  'given-up',
])

const remedy = z.object({
  says: z.string(),
  change: remedyChange,
  clears: z.array(z.string()),
})

export const finding = saidShape.extend({
  key: z.string(),
  level: z.enum(['stop', 'caution', 'note']),
  rule: z.string(),
  field: z.string().optional(),
  about: z.string().optional(),
  because: z.array(saidShape.extend({ source: z.string(), at: z.string().optional() })),
  remedies: z.array(remedy),
})

const command = z.object({
  port: z.enum(['site', 'cluster', 'ledger', 'desk', 'reach']),
  verb: z.string(),
  args: asGiven,
})

const plannedStep = z.object({
  id: z.string(),
  after: z.array(z.string()),
  says: z.string(),
  group: z.string(),
  command,
  undo: command.optional(),
  replaces: z.array(z.string()).optional(),
  final: z.boolean().optional(),
  turnsBack: z.boolean().optional(),
  seconds: estimate,
  retry: z.object({ attempts: z.number(), firstSeconds: z.number(), mostSeconds: z.number() }),
})

export const plan = z.object({
  steps: z.array(plannedStep),
  creates: z.array(z.string()),
  alters: z.array(z.string()),
  removes: z.array(z.string()),
  seconds: estimate,
  critical: z.array(z.string()),
  spend: z.object({
    before: z.number(),
    after: z.number(),
    meanwhile: z.number().optional(),
  }),
  reserves: z.array(
    z.object({
      kind: z.enum(['address', 'machine', 'name', 'range']),
      site: z.string(),
      domain: z.string().optional(),
      zone: z.string().optional(),
      what: z.string(),
      cores: z.number().optional(),
      memoryBytes: z.number().optional(),
    }),
  ),
})

const step = z.object({
  id: z.string(),
  after: z.array(z.string()),
  says: z.string(),
  group: z.string(),
  port: z.string(),
  verb: z.string(),
  state: z.enum(['waiting', 'running', 'retrying', 'done', 'failed', 'undone', 'skipped']),
  undoing: z.boolean(),
  attempts: z.number(),
  mostAttempts: z.number(),
  seconds: estimate,
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  dueAt: z.string().nullable(),
  evidence: z.array(saidShape.extend({ at: z.string() })),
  cause: failure.nullable(),
})

const failedAttempt = z.object({
  step: z.string(),
  attempt: z.number(),
  undoing: z.boolean(),
  at: z.string(),
  group: z.string(),
  says: z.string(),
  command,
  cause: failure,
})

export const change = z.object({
  id: z.string(),
  kind: z.string(),
  label: z.string(),
  title: z.string().nullable(),
  intent: asGiven,
  version: z.number(),
  state: changeState,
  direction: z.enum(['on', 'back']),
  waitsFor: z.string().nullable(),
  schedule: z
    .object({ at: z.string(), window: z.string().nullable(), confirmed: z.array(z.string()) })
    .nullable(),
  returned: saidShape.extend({ at: z.string() }).nullable(),
  createdWall: z.string(),
  amendedWall: z.string(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  findings: z.array(finding),
  plan: plan.nullable(),
  planDigest: z.string().nullable(),
  /** What it touches, as references. */
  subjects: z.array(z.string()),
  guardedBy: z.string().nullable(),
  guards: z.array(z.string()),
  parent: z.string().nullable(),
  children: z.array(
    z.object({
      id: z.string(),
      label: z.string(),
      kind: z.string(),
      position: z.number(),
      state: changeState,
      startedAt: z.string().nullable(),
      endedAt: z.string().nullable(),
      why: z.string().nullable(),
    }),
  ),
  steps: z.array(step),
  failures: z.array(failedAttempt),
  proof: z
    .array(z.object({ says: z.string(), holds: z.boolean(), observed: z.string() }))
    .nullable(),
  cause: failure.nullable(),
  remedies: z.array(remedy.extend({ step: z.string(), goesOn: z.boolean() })),
  keepsBack: z.string().nullable(),
})

/** A change in the list. */
export const listedChange = z.object({
  id: z.string(),
  kind: z.string(),
  label: z.string(),
  title: z.string().nullable(),
  state: changeState,
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  waitsFor: z.string().nullable(),
})
