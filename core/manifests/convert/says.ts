/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'

export const said = sentences({
  // What was changed
  version: (p: { from: string; to: string }) => `${p.from} becomes ${p.to}`,
  renamed: (p: { from: string; to: string }) => `${p.from} is called ${p.to}`,
  written: (p: { text: string }) =>
    `${p.text} is written out: it was the default, and is not any more`,
  needed: (p: { text: string }) => `${p.text} is written: it has to be said now`,
  gone: (p: { field: string }) => `${p.field} goes: it is not there any more`,
  moved: (p: { from: string; to: string }) => `${p.from} is now ${p.to}`,
  kept: (p: { field: string }) =>
    `${p.field} stays: it still works, and spec.ingressClassName takes its place when you write it`,
  'topology-gone': (p: { key: string }) =>
    `${p.key} of its topology goes: there is no place for it`,
  'shares-meant': () => '0 shares meant 30, and means none from now on',
  // What a person has to decide
  'no-successor': (p: { kind: string }) =>
    `Nothing takes the place of a ${p.kind}: decide which pod security level its namespaces need.`,
  'selector-differs': () =>
    'Its selector does not match the labels of its template: decide which of both is meant.',
  'selector-none': () => 'It has neither a selector nor labels in its template: decide on both.',
  'selector-empty': () =>
    'An empty selector selected nothing, and selects everything from now on: decide which pods are meant.',
  'schema-none': (p: { version: string }) =>
    `Version ${p.version} has no schema: write one, of type object at its root.`,
  'schema-root': (p: { version: string }) =>
    `The schema of version ${p.version} does not say type: object at its root: decide what it holds.`,
  'side-effects': (p: { webhook: string; has: string }) =>
    `Webhook ${p.webhook} ${p.has === '' ? 'does not say its sideEffects' : `has sideEffects ${p.has}`}: decide whether they are None or NoneOnDryRun.`,
  'webhook-twice': (p: { webhook: string }) =>
    `Two of its webhooks are called ${p.webhook}: give one of them another name.`,
  'signer-none': () => 'It does not say its signerName: decide who is to sign it.',
  'signer-legacy': () =>
    'Its signerName kubernetes.io/legacy-unknown is not taken any more: decide who is to sign it.',
  'usages-none': () => 'It does not say its usages: decide what the certificate is for.',
  'alias-changes': (p: { path: string }) =>
    `${p.path} is written once and used in several places: write it out before it is converted.`,
})
