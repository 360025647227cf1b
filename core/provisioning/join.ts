/** Joining machine by machine: the script that each one runs once, and what its call tells against the draft. */
import type { Said } from '../contract'
import { parseAddress } from '../addresses'
import type { BoxView } from '../fleet'
import { countText } from '../units'
import type { RaiseIntent } from './raise-intent'
import { said } from './says'

type MachineIntent = RaiseIntent['machines'][number]

/** Whether a machine is joined by a script that somebody runs on it, or installed anew. */
export const joinsBy = (machine: MachineIntent, box: BoxView | undefined): 'install' | 'script' =>
  machine.by ?? (box?.prepared ? 'script' : 'install')

/** What a machine tells when its script runs. */
export interface CallFacts {
  readonly hostname: string
  readonly arch: string
  /** ISO time on the machine’s own clock. */
  readonly clock: string
  readonly runtime: boolean
  readonly cards: readonly {
    readonly name: string
    readonly mac: string
    readonly addresses: readonly string[]
  }[]
}

export interface JoinWish {
  readonly cluster: string
  readonly node: string
  readonly machine: string
  readonly card: string
  /** Without prefix length. */
  readonly address: string
  readonly arch: string
}

export interface CallProblem extends Said {
  /** `join-card`, `join-address` and `join-name` need another draft; the others are put right on the machine. */
  readonly reason:
    'join-card' | 'join-address' | 'join-name' | 'join-clock' | 'join-runtime' | 'join-architecture'
}

/** Clocks further apart than this make certificates invalid, in seconds. */
export const mostClockSeconds = 60

const bare = (address: string): string => address.split('/')[0] ?? address

/** What stands against a machine that has called. `others` are machines that called before. `now` is ISO time. */
export function judgeCall(
  join: JoinWish,
  facts: CallFacts,
  others: readonly { readonly machine: string; readonly facts: CallFacts }[],
  nodeNames: readonly string[],
  now: string,
): readonly CallProblem[] {
  const problems: CallProblem[] = []
  const card = facts.cards.find((card) => card.name === join.card)
  const holder = facts.cards.find((otherCard) =>
    otherCard.addresses.some((address) => bare(address) === join.address),
  )
  const sharing = (addresses: readonly string[]): readonly string[] =>
    others
      .filter((candidate) =>
        candidate.facts.cards.some((otherCard) =>
          otherCard.addresses.some((address) => addresses.map(bare).includes(bare(address))),
        ),
      )
      .map((candidate) => candidate.machine)
  if (!card || !card.addresses.some((address) => bare(address) === join.address)) {
    const shared = card ? sharing(card.addresses) : []
    problems.push({
      reason: 'join-card',
      ...said('join-card', {
        machine: join.machine,
        card: join.card,
        has: card ? card.addresses.map(bare) : null,
        shared,
        address: join.address,
        holder: holder?.name ?? null,
        cards: facts.cards.map(
          (otherCard) =>
            `${otherCard.name} ${otherCard.addresses.map(bare).join(' ') || 'without address'}`,
        ),
      }),
    })
  } else {
    const same = sharing([join.address])
    if (same.length > 0)
      problems.push({
        reason: 'join-address',
        ...said('join-address', { machine: join.machine, same, address: join.address }),
      })
  }
  if (nodeNames.includes(join.node))
    problems.push({
      reason: 'join-name',
      ...said('join-name', { cluster: join.cluster, node: join.node }),
    })
  if (facts.arch !== join.arch)
    problems.push({
      reason: 'join-architecture',
      ...said('join-architecture', {
        machine: join.machine,
        arch: facts.arch,
        wantedArch: join.arch,
      }),
    })
  const off = Math.round((Date.parse(facts.clock) - Date.parse(now)) / 1000)
  if (!(Math.abs(off) <= mostClockSeconds))
    problems.push({
      reason: 'join-clock',
      ...(Number.isNaN(off)
        ? said('join-clock.told-no-readable', { machine: join.machine })
        : said('join-clock.clock-certificates-not', {
            machine: join.machine,
            seconds: Math.abs(off),
            isBehind: off < 0,
          })),
    })
  if (!facts.runtime)
    problems.push({
      reason: 'join-runtime',
      ...said('join-runtime', { machine: join.machine }),
    })
  return problems
}

/** What is missing to a majority of the control plane, in words; null once there is one. */
export function missingToQuorum(members: number, called: number): string | null {
  const needed = Math.floor(members / 2) + 1
  return called >= needed
    ? null
    : `${countText(needed - called, 'more control-plane machine')} of ${members} must call before there is a majority.`
}

/** Whether text is an address; scripts tell all sorts. */
export const isAddress = (text: string): boolean => parseAddress(bare(text)).ok

const quoted = (text: string): string => `'${text.replace(/'/g, `'\\''`)}'`

/** The script for one machine: it tells what it finds, once, and says what it is answered. */
export const joinScript = (
  request: JoinWish & { readonly roles: readonly string[] },
  url: string,
  /** ISO time. */
  until: string,
): string =>
  [
    '#!/bin/sh',
    `# Joins this machine to ${request.cluster} as ${request.node} (${request.roles.join(', ')}).`,
    `# Inside address ${request.address} on ${request.card}. For one use, until ${until}.`,
    'set -eu',
    `url=${quoted(url)}`,
    'case "$(uname -m)" in x86_64) arch=x86-64 ;; aarch64) arch=arm64 ;; *) arch=$(uname -m) ;; esac',
    'runtime=false',
    'for socket in /run/containerd/containerd.sock /run/crio/crio.sock; do [ -S "$socket" ] && runtime=true; done',
    'cards=$(ip -json address show)',
    'body=$(printf \'{"hostname":"%s","arch":"%s","clock":"%s","runtime":%s,"cards":%s}\' "$(hostname)" "$arch" "$(date -u +%Y-%m-%dT%H:%M:%SZ)" "$runtime" "$cards")',
    // A refusal is told in its own words, and the script ends with an error; so it does where nobody answers.
    'answer=$(mktemp)',
    'trap \'rm -f "$answer"\' EXIT',
    'status=$(curl --silent --show-error --max-time 60 --output "$answer" --write-out "%{http_code}" --header "content-type: application/json" --data "$body" "$url")',
    'says=$(sed -e \'s/^{"error":{"code":"[a-z-]*",/{/\' -e \'s/^{"says":"//\' -e \'s/","fields":\\[.*$//\' -e \'s/"}*$//\' "$answer")',
    'case "$status" in',
    '  2*) echo "$says" ;;',
    '  *) echo "Gyrarch refused this machine ($status): $says" >&2; exit 1 ;;',
    'esac',
    '',
  ].join('\n')
