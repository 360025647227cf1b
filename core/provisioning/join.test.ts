import { execFileSync, spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type CallFacts, joinScript, judgeCall, missingToQuorum } from './join'

const request = {
  cluster: 'oak',
  node: 'oak-b',
  machine: 'm-spare-2',
  card: 'eno2',
  address: '10.20.16.22',
  arch: 'x86-64',
}
const facts: CallFacts = {
  hostname: 'm-spare-2',
  arch: 'x86-64',
  clock: '2026-03-02T06:00:20Z',
  runtime: true,
  cards: [
    { name: 'eno1', mac: '', addresses: ['192.168.0.10/24'] },
    { name: 'eno2', mac: '', addresses: ['10.20.16.22/22'] },
  ],
}
const now = '2026-03-02T06:00:00Z'
const judge = (
  changes: Partial<CallFacts>,
  others: Parameters<typeof judgeCall>[2] = [],
  nodes: readonly string[] = [],
) => judgeCall(request, { ...facts, ...changes }, others, nodes, now)

describe('a machine that has called', () => {
  it('is taken when it is what the draft says', () => expect(judge({})).toEqual([]))

  it('with the wrong card is caught, and the right one named', () => {
    const swapped = [
      { name: 'eno1', mac: '', addresses: ['10.20.16.22/22'] },
      { name: 'eno2', mac: '', addresses: ['192.168.0.10/24'] },
    ]
    expect(judge({ cards: swapped }, [{ machine: 'm-spare-1', facts }])).toEqual([
      {
        reason: 'join-card',
        code: 'join-card',
        params: {
          machine: 'm-spare-2',
          card: 'eno2',
          has: ['192.168.0.10'],
          shared: ['m-spare-1'],
          address: '10.20.16.22',
          holder: 'eno1',
          cards: ['eno1 10.20.16.22', 'eno2 192.168.0.10'],
        },
        says: 'm-spare-2: eno2 has 192.168.0.10, which m-spare-1 has too, not 10.20.16.22. 10.20.16.22 is on eno1: use eno1.',
      },
    ])
    expect(judge({ cards: [] })[0]?.says).toMatch(/there is no eno2, not 10\.20\.16\.22/)
  })

  it('with an address that another machine has is caught', () => {
    expect(judge({}, [{ machine: 'm-spare-1', facts }]).map((problem) => problem.reason)).toEqual([
      'join-address',
    ])
  })

  it.each([
    [{ clock: '2026-03-02T05:48:00Z' }, 'join-clock', /12 min behind/],
    [{ clock: 'yesterday' }, 'join-clock', /no readable time/],
    [{ runtime: false }, 'join-runtime', /no container runtime/],
    [{ arch: 'arm64' }, 'join-architecture', /is arm64/],
  ] as const)('with %j is told what to put right', (changes, reason, says) => {
    const [problem] = judge(changes)
    expect(problem?.reason).toBe(reason)
    expect(problem?.says).toMatch(says)
  })

  it('under a name that is taken is refused', () =>
    expect(judge({}, [], ['oak-b'])[0]?.reason).toBe('join-name'))
})

describe('a join script', () => {
  it('is a shell script that a shell takes, whatever stands in its names', () => {
    const script = joinScript(
      { ...request, roles: ['worker'] },
      "http://127.0.0.1:4600/api/v1/join/it's",
      '2026-03-02T06:30:00Z',
    )
    expect(() => execFileSync('sh', ['-n'], { input: script })).not.toThrow()
    expect(script).toContain(`url='http://127.0.0.1:4600/api/v1/join/it'\\''s'`)
  })
})

describe('a join script that is run', () => {
  const dir = mkdtempSync(join(tmpdir(), 'gyrarch-join-'))
  writeFileSync(join(dir, 'ip'), '#!/bin/sh\necho "[]"\n', { mode: 0o755 })
  let server: Server
  let answer = { status: 200, body: '{}' }
  let asked = ''
  let url = ''
  beforeAll(async () => {
    server = createServer((request, response) => {
      request.on('data', (part) => (asked += String(part)))
      request.on('end', () => response.writeHead(answer.status).end(answer.body))
    })
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    const address = server.address()
    url = `http://127.0.0.1:${typeof address === 'object' && address ? address.port : 0}/join/x`
  })
  afterAll(() => {
    server.close()
    rmSync(dir, { recursive: true })
  })
  const run = (to = url) =>
    new Promise<{ readonly code: number | null; readonly out: string; readonly err: string }>(
      (done) => {
        const child = spawn('sh', [], { env: { ...process.env, PATH: `${dir}:/usr/bin:/bin` } })
        const said = { out: '', err: '' }
        child.stdout.on('data', (part) => (said.out += String(part)))
        child.stderr.on('data', (part) => (said.err += String(part)))
        child.on('close', (code) => done({ code, ...said }))
        child.stdin.end(joinScript({ ...request, roles: ['worker'] }, to, '2026-03-02T06:30:00Z'))
      },
    )

  it('tells what it finds, says what it is answered, and ends well when it is taken', async () => {
    answer = { status: 200, body: '{"says":"m-spare-2 is taken into oak as oak-b."}' }
    const { code, out } = await run()
    expect([code, out]).toEqual([0, 'm-spare-2 is taken into oak as oak-b.\n'])
    expect(JSON.parse(asked)).toMatchObject({ runtime: false, cards: [] })
  })

  it('ends with an error and the reason when it is refused', async () => {
    answer = {
      status: 409,
      body: '{"error":{"code":"conflict","says":"m-spare-2: there is no eno2.","fields":[{"path":"join-card","says":"no"}]}}',
    }
    const { code, err } = await run()
    expect([code, err]).toEqual([
      1,
      'Gyrarch refused this machine (409): m-spare-2: there is no eno2.\n',
    ])
  })

  it('ends with an error when nobody answers', async () => {
    const { code, err } = await run('http://127.0.0.1:9/join/x')
    expect(code).not.toBe(0)
    expect(err).toMatch(/connect/i)
  })
})

describe('a control plane under way', () => {
  it('says how many must still call', () => {
    expect(missingToQuorum(3, 1)).toBe(
      '1 more control-plane machine of 3 must call before there is a majority.',
    )
    expect(missingToQuorum(5, 0)).toMatch(/^3 more/)
    expect(missingToQuorum(3, 2)).toBeNull()
  })
})
