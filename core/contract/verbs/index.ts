/** Every verb that can be asked of the outside, by name. */
import type { z } from 'zod'
import type { Told } from '../told'
import type { VerbDefinition } from '../verb'
import * as boxes from './boxes'
import * as clusters from './clusters'
import * as images from './images'
import * as machines from './machines'
import * as networks from './networks'
import * as nodes from './nodes'
import * as objects from './objects'
import * as reach from './reach'
import * as register from './register'
import * as registryAccess from './registry-access'
import * as sites from './sites'
import * as storage from './storage'

const { objectRef: _objectRef, ...objectVerbs } = objects
const {
  registeredPool: _registeredPool,
  snapshotSchedule: _snapshotSchedule,
  ...registerVerbs
} = register
const { driveRef: _driveRef, shipmentDrive: _shipmentDrive, ...imageVerbs } = images

const definitions = {
  ...machines,
  ...boxes,
  ...sites,
  ...networks,
  ...clusters,
  ...nodes,
  ...objectVerbs,
  ...registerVerbs,
  ...storage,
  ...imageVerbs,
  ...registryAccess,
  ...reach,
}

export { driveRef } from './images'
export { objectRef } from './objects'
export { registeredPool } from './register'

type Definition = (typeof definitions)[keyof typeof definitions]

export type VerbName = Definition['name']
export type DefinitionOf<Name extends VerbName> = Extract<Definition, { readonly name: Name }>
/** What a verb is asked with, as whoever asks writes it. */
export type ArgsIn<Name extends VerbName> = z.input<DefinitionOf<Name>['args']>
/** What a verb is asked with, as a connector reads it. */
export type ArgsOf<Name extends VerbName> = Told<z.output<DefinitionOf<Name>['args']>>
export type ResultOf<Name extends VerbName> = Told<z.output<DefinitionOf<Name>['result']>>

const byName: ReadonlyMap<string, VerbDefinition> = new Map(
  Object.values(definitions).map((definition) => [
    definition.name,
    // Each definition takes the arguments its own schema has read: `readCommand` sees to that.
    definition as VerbDefinition,
  ]),
)

export const verbNames: readonly VerbName[] = Object.values(definitions).map(({ name }) => name)

export const verbNamed = (name: string): VerbDefinition | undefined => byName.get(name)
