/** What an SSH key and a site's credential are asked to be before either is kept. */
import { dnsLabel } from '../objects/dns-label'
import { z } from 'zod'

export const sshKeyName = z
  .string()
  .min(1, 'Give it a name.')
  .regex(
    /^[a-z0-9][a-z0-9._-]{0,62}$/,
    'Use a–z, 0–9, dots, dashes and underscores, at most 63; begin with a letter or a digit.',
  )

export const credentialName = z
  .string()
  .min(1, 'Give it a name.')
  .regex(dnsLabel, 'Use a–z, 0–9 and inner dashes, at most 63.')

/** Shorter ones are guessed. */
export const fewestSecretCharacters = 12

/** A credential as it is typed; the day it ends is `yyyy-MM-dd`. */
export const credentialForm = z.object({
  site: z.string().min(1, 'Choose a site.'),
  name: credentialName,
  secret: z
    .string()
    .min(fewestSecretCharacters, `Give at least ${fewestSecretCharacters} characters.`)
    .max(20_000, 'Give at most 20,000 characters.'),
  until: z.string().regex(/^\d{4}-\d{2}-\d{2}$/, 'Give the day it ends.'),
})
export type CredentialForm = z.infer<typeof credentialForm>

/** A key as it is typed: with its public half it is entered, without one it is made. */
export const sshKeyForm = z.object({
  name: sshKeyName,
  publicKey: z.string().max(20_000, 'Give at most 20,000 characters.'),
})
export type SshKeyForm = z.infer<typeof sshKeyForm>
