/** Certificate authorities of clusters: made once for each set of names, with the private half thrown away after signing. */
import 'reflect-metadata'
import { webcrypto } from 'node:crypto'
import {
  BasicConstraintsExtension,
  cryptoProvider,
  KeyUsageFlags,
  KeyUsagesExtension,
  SubjectAlternativeNameExtension,
  X509CertificateGenerator,
} from '@peculiar/x509'
import { parseAddress } from '~/core/addresses'
import type { Database } from '../records/database'
import { AuthorityRow } from '../records/models'

// The library and Node describe the same interface in two type libraries.
const crypto = webcrypto as unknown as Crypto
cryptoProvider.set(crypto)

const algorithm = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' }
const yearMs = 365 * 86_400_000

export interface Authority {
  readonly certificate: string
  readonly fingerprint: string
  readonly expires: string
}

/** A self-signed authority (RFC 5280) whose subject alternative names cover `names` (DNS names and addresses). */
async function makeAuthority(cluster: string, names: readonly string[]): Promise<Authority> {
  const keys = await crypto.subtle.generateKey({ name: 'ECDSA', namedCurve: 'P-256' }, true, [
    'sign',
    'verify',
  ])
  const notBefore = new Date()
  const notAfter = new Date(notBefore.getTime() + 10 * yearMs)
  const certificate = await X509CertificateGenerator.createSelfSigned(
    {
      name: `CN=${cluster} authority`,
      notBefore,
      notAfter,
      keys,
      signingAlgorithm: algorithm,
      extensions: [
        new BasicConstraintsExtension(true, undefined, true),
        new KeyUsagesExtension(
          KeyUsageFlags.keyCertSign | KeyUsageFlags.cRLSign | KeyUsageFlags.digitalSignature,
          true,
        ),
        new SubjectAlternativeNameExtension(
          names.map((value) => ({
            type: parseAddress(value).ok ? ('ip' as const) : ('dns' as const),
            value,
          })),
        ),
      ],
    },
    crypto,
  )
  return {
    certificate: `${certificate.toString('pem')}\n`,
    fingerprint: Buffer.from(await certificate.getThumbprint('SHA-256', crypto)).toString('hex'),
    expires: notAfter.toISOString(),
  }
}

/** The authority of a cluster; a new one if the names it has to cover have changed. */
export async function authorityFor(
  database: Database,
  cluster: string,
  names: readonly string[],
): Promise<Authority> {
  const covers = [...new Set(names)].sort().join(' ')
  const authority = await AuthorityRow.findByPk(cluster)
  if (authority?.covers === covers) return authority
  const made = await makeAuthority(cluster, covers.split(' '))
  await database.write((transaction) =>
    AuthorityRow.upsert({ cluster, covers, ...made }, { transaction }),
  )
  return made
}
