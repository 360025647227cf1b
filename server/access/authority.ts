/** Certificate authorities of clusters: their keys are made once and sealed, their certificates anew for each set of names. */
import 'reflect-metadata'
import { createHmac, createPrivateKey } from 'node:crypto'
import {
  AuthorityKeyIdentifierExtension,
  BasicConstraintsExtension,
  cryptoProvider,
  ExtendedKeyUsage,
  ExtendedKeyUsageExtension,
  KeyUsageFlags,
  KeyUsagesExtension,
  SubjectAlternativeNameExtension,
  SubjectKeyIdentifierExtension,
  X509Certificate,
  X509CertificateGenerator,
} from '@peculiar/x509'
import { parseAddress } from '~/core/addresses'
import type { Vault } from '../keys/vault'
import type { Database } from '../records/database'
import { AuthorityRow } from '../records/models'

cryptoProvider.set(crypto)

const algorithm = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' }
const yearMs = 365 * 86_400_000

export interface Authority {
  readonly certificate: string
  readonly fingerprint: string
  readonly expires: string
}

/** Where an authority’s private half is sealed for. */
const placeOf = (cluster: string): string => `authority/${cluster}`

async function newKeys(): Promise<CryptoKeyPair> {
  return crypto.subtle.generateKey(algorithm, true, ['sign', 'verify'])
}

async function keysFrom(pkcs8: string): Promise<CryptoKeyPair> {
  const bytes = Buffer.from(pkcs8, 'base64')
  const privateKey = await crypto.subtle.importKey('pkcs8', bytes, algorithm, true, ['sign'])
  const { d: _secret, key_ops: _uses, ...jwk } = await crypto.subtle.exportKey('jwk', privateKey)
  const publicKey = await crypto.subtle.importKey('jwk', jwk, algorithm, true, ['verify'])
  return { privateKey, publicKey }
}

const alternativeName = (value: string) => ({
  type: parseAddress(value).ok ? ('ip' as const) : ('dns' as const),
  value,
})

/**
 * A self-signed authority (RFC 5280) whose subject alternative names cover `names` (DNS names and addresses). Of the same
 * keys, it verifies whatever an earlier one of theirs has signed.
 */
async function makeAuthority(
  cluster: string,
  names: readonly string[],
  keys: CryptoKeyPair,
): Promise<Authority> {
  const notBefore = new Date()
  const notAfter = new Date(notBefore.getTime() + 10 * yearMs)
  const keyIdentifier = await SubjectKeyIdentifierExtension.create(keys.publicKey, false, crypto)
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
        keyIdentifier,
        new AuthorityKeyIdentifierExtension(keyIdentifier.keyId),
        new SubjectAlternativeNameExtension(names.map(alternativeName)),
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

export interface Leaf {
  /** PEM. */
  readonly certificate: string
  /** PKCS #8, PEM. */
  readonly key: string
}

/** A certificate for a server of a cluster, issued by its authority, with keys of its own; `names` are DNS names and addresses. */
export async function leafOf(
  vault: Vault,
  cluster: string,
  names: readonly string[],
): Promise<Leaf> {
  const { issuer, authority } = await keptKeys(vault, cluster)
  const own = await newKeys()
  const notBefore = new Date(Date.now() - 60_000)
  const certificate = await X509CertificateGenerator.create(
    {
      subject: `CN=${cluster}`,
      issuer: new X509Certificate(authority).subject,
      notBefore,
      notAfter: new Date(notBefore.getTime() + yearMs),
      publicKey: own.publicKey,
      signingKey: issuer.privateKey,
      signingAlgorithm: algorithm,
      extensions: [
        new BasicConstraintsExtension(false, undefined, true),
        new KeyUsagesExtension(KeyUsageFlags.digitalSignature, true),
        new ExtendedKeyUsageExtension([ExtendedKeyUsage.serverAuth]),
        await SubjectKeyIdentifierExtension.create(own.publicKey, false, crypto),
        await AuthorityKeyIdentifierExtension.create(issuer.publicKey, false, crypto),
        new SubjectAlternativeNameExtension(names.map(alternativeName)),
      ],
    },
    crypto,
  )
  const pkcs8 = Buffer.from(await crypto.subtle.exportKey('pkcs8', own.privateKey))
  return {
    certificate: certificate.toString('pem'),
    key: createPrivateKey({ key: pkcs8, format: 'der', type: 'pkcs8' })
      .export({ format: 'pem', type: 'pkcs8' })
      .toString(),
  }
}

async function keptKeys(vault: Vault, cluster: string) {
  const row = await AuthorityRow.findByPk(cluster)
  if (row === null || row.sealed === null) throw new Error(`${cluster} has no authority`)
  const pkcs8 = vault.open(row.sealed, placeOf(cluster))
  return { issuer: await keysFrom(pkcs8), authority: row.certificate, pkcs8 }
}

/** What tokens for a cluster are signed with: it follows from the keys of its authority, and is kept nowhere. */
export async function tokenKeyOf(vault: Vault, cluster: string): Promise<Buffer> {
  const { pkcs8 } = await keptKeys(vault, cluster)
  return createHmac('sha256', pkcs8).update('tokens').digest()
}

/** The authority of a cluster, a new one where the keys of before cannot be opened; one of the same keys if the names it has to cover have changed. */
export async function authorityFor(
  database: Database,
  vault: Vault,
  cluster: string,
  names: readonly string[],
): Promise<Authority> {
  const covers = [...new Set(names)].sort().join(' ')
  const authority = await AuthorityRow.findByPk(cluster)
  const before = authority?.sealed ?? null
  // Sealed with another key: put back from a backup without its own.
  const opens = before !== null && vault.opens(before, placeOf(cluster))
  if (opens && authority?.covers === covers) return authority
  const keys = opens ? await keysFrom(vault.open(before, placeOf(cluster))) : await newKeys()
  const made = await makeAuthority(cluster, covers.split(' '), keys)
  const pkcs8 = Buffer.from(await crypto.subtle.exportKey('pkcs8', keys.privateKey))
  const sealed = vault.seal(pkcs8.toString('base64'), placeOf(cluster))
  await database.write((transaction) =>
    AuthorityRow.upsert({ cluster, covers, sealed, ...made }, { transaction }),
  )
  return made
}
