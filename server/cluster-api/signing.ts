/** Signing for a cluster: tokens by subject, and calling back all that a subject was given so far. */
import { accountOf } from '~/core/fleet'
import type { Mirror } from './mirror'
import { type Claims, readToken, signToken } from './tokens'

/** Whom a token is for. */
export interface Signed {
  readonly subject: string
  readonly groups: readonly string[]
}

/** How often what a subject was given has been called back, by its name. */
export type Epochs = Readonly<Record<string, number>>

export class Signing {
  constructor(
    private readonly cluster: string,
    private readonly key: Buffer,
    private epochs: Epochs,
    private readonly mirror: Pick<Mirror, 'find' | 'refresh'>,
  ) {}

  private epochOf(subject: string): number {
    return Object.hasOwn(this.epochs, subject) ? (this.epochs[subject] ?? 0) : 0
  }

  /** A token that is good for so many seconds on the wall; null for a service account that is not there. */
  async sign({ subject, groups }: Signed, seconds: number): Promise<string | null> {
    const account = accountOf(subject)
    const uid = account ? await this.uidOf(account) : undefined
    if (account && uid === undefined) return null
    return signToken(this.key, {
      cluster: this.cluster,
      subject,
      groups: [...groups],
      ...(uid === undefined ? {} : { uid }),
      epoch: this.epochOf(subject),
      until: Date.now() + seconds * 1000,
    })
  }

  private async uidOf(account: {
    readonly namespace: string
    readonly name: string
  }): Promise<string | undefined> {
    await this.mirror.refresh()
    return this.mirror.find('ServiceAccount', account.namespace, account.name)?.uid
  }

  /** What a token says; null for one of another cluster, one that has ended or was called back. */
  claimsOf(token: string): Claims | null {
    const claims = readToken(this.key, this.cluster, token)
    return claims && claims.epoch >= this.epochOf(claims.subject) ? claims : null
  }

  /** The epochs once everything that a subject was given is called back. */
  raised(subject: string): Epochs {
    return Object.fromEntries([
      ...Object.entries(this.epochs),
      [subject, this.epochOf(subject) + 1],
    ])
  }

  take(epochs: Epochs): void {
    this.epochs = epochs
  }
}
