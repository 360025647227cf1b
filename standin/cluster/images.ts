/** Images as the nodes of a cluster deal with them: where they look, and whether they can be pulled. */
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import { answering } from './api'
import { clusterOf } from './keeping'
import { notPulled, pulledDigest } from './pulling'
import { said } from './says'

const redirectsBefore = new WeakMap<object, { from: string; to: string }[]>()

export const nodesRedirect: Behaviour<'nodes.redirect'> = {
  stages: [
    {
      seconds: (sim, op) => 4 + 2 * (sim.cluster(op.args.cluster)?.nodes.length ?? 0),
      then: (sim, op) => {
        const cluster = clusterOf(sim, op)
        if ('class' in cluster) return cluster
        redirectsBefore.set(
          op,
          (cluster.redirects ?? []).map((redirect) => ({ ...redirect })),
        )
        cluster.redirects = op.args.redirects.map((redirect) => ({ ...redirect }))
        sim.touchCluster(cluster.name)
        return said('redirected', {
          nodes: cluster.nodes.length,
          redirects: op.args.redirects.map(({ from, to }) => `${from} → ${to}`),
        })
      },
    },
  ],
  result: (_sim, op) => ({ before: redirectsBefore.get(op) ?? [] }),
}

const shownBefore = new WeakMap<object, { account: string; round: number } | null>()

export const nodesCredential: Behaviour<'nodes.credential'> = {
  stages: [
    {
      seconds: (sim, op) => 2 + (sim.cluster(op.args.cluster)?.nodes.length ?? 0),
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const { registry, namespace, shown } = op.args
        const isThis = (entry: { readonly registry: string; readonly namespace: string }) =>
          entry.registry === registry && entry.namespace === namespace
        const before = (cluster.pullsAs ?? []).find(isThis)
        shownBefore.set(op, before ? { account: before.account, round: before.round } : null)
        cluster.pullsAs = [
          ...(cluster.pullsAs ?? []).filter((entry) => !isThis(entry)),
          ...(shown ? [{ registry, namespace, ...shown }] : []),
        ]
        sim.touchCluster(cluster.name)
        const nodes = cluster.nodes.length
        return shown
          ? said('credential-shown', { nodes, registry, namespace, account: shown.account })
          : said('credential-not-shown', { nodes, registry, namespace })
      },
    },
  ],
  result: (_sim, op) => ({ before: shownBefore.get(op) ?? null }),
}

export const imagesPull: Behaviour<'images.pull'> = {
  stages: [
    {
      seconds: 20,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        for (const node of cluster.nodes)
          for (const { name, digest } of op.args.images) {
            const failure = notPulled(sim, cluster, name, {
              address: node.address,
              namespace: op.args.namespace ?? null,
            })
            const chain = { about: `node/${cluster.name}/${node.name}` }
            if (failure)
              return permanent(
                failure.isDenied === true ? 'image-denied' : 'image-not-pulled',
                said('node-pulls-not', { node: node.name, image: name, why: failure.why }),
                { ...chain, ...said('pull-refused', { why: failure.why }) },
              )
            const pulled = pulledDigest(sim.world, cluster, name)
            if (digest !== null && pulled !== digest)
              return permanent(
                'image-differs',
                said('image-differs', { image: name, wanted: digest, pulled: pulled ?? 'nothing' }),
                { ...chain, ...said('pull-refused', { why: 'another digest' }) },
              )
          }
        return said('images-pulled', {
          nodes: cluster.nodes.length,
          images: op.args.images.length,
        })
      },
    },
  ],
  result: (sim, op) => ({
    nodes: sim.cluster(op.args.cluster)?.nodes.length ?? 0,
    images: op.args.images.length,
  }),
}
