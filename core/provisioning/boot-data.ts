/**
 * What a machine is handed before its first boot: cloud-init’s user-data, meta-data and network-config (version 2).
 * Text only, the same for the same wish; no long-lived secret is in it. Over a site’s limit a pointer replaces the
 * user-data: a script that fetches the full file, verifies its SHA-256 and stops on a mismatch.
 * Source: cloud-init’s documented formats; the limit counts bytes of user-data after encoding.
 */
import { sha256 } from '@noble/hashes/sha2'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils'
import { parseAddress } from '../addresses'
import { writeQuotedYaml } from '../objects'

export interface BootWish {
  readonly cluster: string
  readonly site: string
  readonly node: string
  /** Changes at each replacement, so that cloud-init runs anew. */
  readonly instance: string
  readonly roles: readonly string[]
  readonly release: string
  /** Where the API answers; null while nobody knows, as for a managed control plane not ordered yet. */
  readonly endpoint: string | null
  /** A token for one use and 30 min, or the mark that stands for it. */
  readonly token: string
  readonly sshKeys: readonly string[]
  readonly domain: string
  readonly timeServers: readonly string[]
  readonly nameServers: readonly string[]
  readonly webProxy: { readonly url: string; readonly except: readonly string[] } | null
  readonly authorities: readonly { readonly name: string; readonly pem: string }[]
  readonly registryMirror: string | null
  readonly labels: Readonly<Record<string, string>>
  readonly taints: readonly {
    readonly key: string
    readonly value: string
    readonly effect: string
  }[]
  readonly encryptSecrets: boolean
  readonly auditPolicy: 'none' | 'metadata' | 'requests'
  readonly identityProvider: { readonly issuer: string; readonly client: string } | null
  readonly card: {
    readonly name: string
    readonly mac: string
    /** With prefix length; null for DHCP. */
    readonly address: string | null
    readonly gateway: string | null
    readonly mtu: number | null
  }
}

export interface BootFiles {
  readonly userData: string
  readonly metaData: string
  readonly networkConfig: string
}

/** What stands in a view where a secret would be. */
export const masked = '••••••'

const auditRules: Readonly<Record<BootWish['auditPolicy'], readonly unknown[]>> = {
  none: [{ level: 'None' }],
  metadata: [
    {
      level: 'None',
      verbs: ['get', 'list', 'watch'],
      resources: [{ group: '', resources: ['events'] }],
    },
    { level: 'Metadata' },
  ],
  requests: [
    {
      level: 'None',
      verbs: ['get', 'list', 'watch'],
      resources: [{ group: '', resources: ['events'] }],
    },
    {
      level: 'Metadata',
      resources: [
        { group: '', resources: ['secrets', 'configmaps'] },
        { group: 'authentication.k8s.io', resources: ['tokenreviews'] },
      ],
    },
    { level: 'Request', omitStages: ['RequestReceived'] },
  ],
}

/** cloud-init reads YAML 1.1: a hardware address of digits alone would be a number, a node named `on` a truth. */
const yaml = writeQuotedYaml

/** The services that fetch anything: what a session is told of a proxy reaches neither. */
const fetchingServices = ['container-runtime.service', 'node-agent.service']

/** A value as a unit file of systemd takes it: quoted, specifiers and escapes written out. */
const unitValue = (text: string): string =>
  `"${text.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('%', '%%')}"`

/**
 * The way out by a gateway, as the version on Debian 12 takes it: it knows no route to `default`, and reads `::/0` as
 * `::/64`, so that the gateway of the sixth version has a key of its own.
 */
function wayOut(gateway: string): Record<string, unknown> {
  const read = parseAddress(gateway)
  return read.ok && read.value.family === 6
    ? { gateway6: gateway }
    : { routes: [{ to: '0.0.0.0/0', via: gateway }] }
}

/** The stable hardware address a site gives to a machine it makes: locally administered, derived from its name. */
export function macOf(site: string, machine: string): string {
  const hash = sha256(utf8ToBytes(`${site}/${machine}`))
  return [
    '02',
    '47',
    ...[...hash.slice(0, 4)].map((byte) => byte.toString(16).padStart(2, '0')),
  ].join(':')
}

function nodeConfig(boot: BootWish): Record<string, unknown> {
  const member = boot.roles.includes('control-plane')
  return {
    cluster: boot.cluster,
    node: boot.node,
    roles: boot.roles,
    release: boot.release,
    api: boot.endpoint,
    join: { token: boot.token, 'valid-minutes': 30, uses: 1 },
    labels: boot.labels,
    taints: boot.taints,
    'traffic-card': boot.card.name,
    ...(boot.registryMirror === null ? {} : { 'image-mirror': boot.registryMirror }),
    ...(member
      ? {
          'encrypt-secrets': boot.encryptSecrets,
          ...(boot.identityProvider === null
            ? {}
            : {
                'identity-provider': {
                  issuer: boot.identityProvider.issuer,
                  'client-id': boot.identityProvider.client,
                },
              }),
        }
      : {}),
  }
}

/** A file that is written at the first boot. */
interface WrittenFile {
  readonly path: string
  readonly permissions: string
  readonly content: string
}

/** What the machine’s own services are told: the node agent, the API’s audit, what fetches through a web proxy. */
function writtenFiles(boot: BootWish): readonly WrittenFile[] {
  const files: WrittenFile[] = [
    { path: '/etc/gyrarch/node.yaml', permissions: '0600', content: yaml(nodeConfig(boot)) },
  ]
  if (boot.roles.includes('control-plane') && boot.auditPolicy !== 'none')
    files.push({
      path: '/etc/gyrarch/audit-policy.yaml',
      permissions: '0600',
      content: yaml({
        apiVersion: 'audit.k8s.io/v1',
        kind: 'Policy',
        rules: auditRules[boot.auditPolicy],
      }),
    })
  if (boot.webProxy) {
    const { url, except } = boot.webProxy
    const told = [`HTTP_PROXY=${url}`, `HTTPS_PROXY=${url}`, `NO_PROXY=${except.join(',')}`]
    const content = `[Service]\n${told.map((line) => `Environment=${unitValue(line)}\n`).join('')}`
    for (const service of fetchingServices)
      files.push({
        path: `/etc/systemd/system/${service}.d/50-web-proxy.conf`,
        permissions: '0644',
        content,
      })
  }
  return files
}

/** The user data, as cloud-init takes it. */
const cloudConfig = (boot: BootWish) => ({
  hostname: boot.node,
  fqdn: boot.domain === '' ? boot.node : `${boot.node}.${boot.domain}`,
  preserve_hostname: false,
  users: [
    {
      name: 'duty',
      groups: ['sudo'],
      sudo: 'ALL=(ALL) NOPASSWD:ALL',
      shell: '/bin/bash',
      lock_passwd: true,
      ssh_authorized_keys: [...boot.sshKeys],
    },
  ],
  ssh_pwauth: false,
  growpart: { mode: 'auto', devices: ['/'] },
  ...(boot.timeServers.length > 0
    ? { ntp: { enabled: true, servers: [...boot.timeServers] } }
    : {}),
  ...(boot.authorities.length > 0
    ? { ca_certs: { trusted: boot.authorities.map((authority) => authority.pem) } }
    : {}),
  write_files: writtenFiles(boot),
  runcmd: [
    ['systemctl', 'daemon-reload'],
    ['systemctl', 'enable', '--now', 'container-runtime.service'],
    ['systemctl', 'enable', '--now', 'node-agent.service'],
  ],
})

/** The network configuration, version 2. */
function networkConfig({ card, nameServers, domain }: BootWish) {
  const address =
    card.address === null
      ? { dhcp4: true }
      : {
          dhcp4: false,
          addresses: [card.address],
          ...(card.gateway === null ? {} : wayOut(card.gateway)),
        }
  const search = domain === '' ? {} : { search: [domain] }
  return {
    version: 2,
    ethernets: {
      cluster: {
        match: { macaddress: card.mac },
        'set-name': card.name,
        ...(card.mtu === null ? {} : { mtu: card.mtu }),
        ...address,
        ...(nameServers.length > 0
          ? { nameservers: { addresses: [...nameServers], ...search } }
          : {}),
      },
    },
  }
}

/** The full files for one machine. */
export const bootFiles = (boot: BootWish): BootFiles => ({
  userData: `#cloud-config\n${yaml(cloudConfig(boot))}`,
  metaData: yaml({ 'instance-id': boot.instance, 'local-hostname': boot.node }),
  networkConfig: yaml(networkConfig(boot)),
})

export const sha256Hex = (text: string): string => bytesToHex(sha256(utf8ToBytes(text)))

/** Bytes of UTF-8, or of its base64 form. */
export function encodedBytes(text: string, base64: boolean): number {
  const plain = utf8ToBytes(text).length
  return base64 ? Math.ceil(plain / 3) * 4 : plain
}

/** Text as one word of a shell. */
const shellWord = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`

/** A file written by a shell, line by line as it is. */
const shellFile = (path: string, text: string): readonly string[] => {
  let mark = 'END'
  while (text.split('\n').includes(mark)) mark += '_'
  return [`cat > ${path} <<'${mark}'`, text.replace(/\n$/, ''), mark]
}

/**
 * The script that stands in for user-data that is too large: it fetches the file, verifies its SHA-256 and stops on a
 * mismatch; then it puts the file where cloud-init looks first, with the machine’s own metadata and network, and lets
 * cloud-init run anew from its first stage. Source: cloud-init’s NoCloud data source and its boot stages.
 */
export const pointerScript = (
  url: string,
  digest: string,
  files: Pick<BootFiles, 'metaData' | 'networkConfig'>,
): string =>
  [
    '#!/bin/sh',
    '# Fetches this machine’s boot data, verifies it and lets cloud-init begin again with it.',
    'set -eu',
    'umask 077',
    `url=${shellWord(url)}`,
    `want=${shellWord(digest)}`,
    'seed=/var/lib/cloud/seed/nocloud',
    'file=/run/gyrarch-user-data',
    'curl --fail --silent --show-error --retry 5 --output "$file" "$url"',
    'have=$(sha256sum "$file" | cut -d" " -f1)',
    'if [ "$have" != "$want" ]; then',
    '  echo "boot data has SHA-256 $have, expected $want: stopped" >&2',
    '  exit 1',
    'fi',
    'mkdir -p "$seed"',
    'mv "$file" "$seed/user-data"',
    ...shellFile('"$seed/meta-data"', files.metaData),
    ...shellFile('"$seed/network-config"', files.networkConfig),
    ...shellFile(
      '/etc/cloud/cloud.cfg.d/99-gyrarch-seed.cfg',
      yaml({ datasource_list: ['NoCloud'] }),
    ),
    'cloud-init clean',
    'cloud-init init --local',
    'cloud-init init',
    'cloud-init modules --mode config',
    'cloud-init modules --mode final',
    '',
  ].join('\n')

export interface Handed {
  readonly handed: 'inline' | 'pointer'
  /** Bytes of what goes into the machine’s property, after encoding. */
  readonly bytes: number
  readonly lines: number
  /** Of the full file. */
  readonly fullBytes: number
  readonly digest: string
  /** What stands in the user-data field before encoding. */
  readonly userData: string
}

/** How boot data is handed over at a site: whole if it fits (or is asked to be published), else by a pointer. */
export function handOver(
  files: BootFiles,
  at: { readonly limitBytes: number | null; readonly base64: boolean },
  url: string,
  published: boolean,
): Handed {
  const fullBytes = encodedBytes(files.userData, at.base64)
  const digest = sha256Hex(files.userData)
  const pointer = published || (at.limitBytes !== null && fullBytes > at.limitBytes)
  const userData = pointer ? pointerScript(url, digest, files) : files.userData
  return {
    handed: pointer ? 'pointer' : 'inline',
    bytes: encodedBytes(userData, at.base64),
    lines: userData.split('\n').length,
    fullBytes,
    digest,
    userData,
  }
}
