/** Sound drafts of clusters, one for each kind of ground of the demo. */

export const elm = {
  name: 'elm-12',
  site: 'glasshouse-12',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 1, alsoWorkers: true },
  pools: [],
  ranges: { pods: '10.130.0.0/18', services: '10.131.0.0/20', maxPodsPerNode: 110 },
  machines: [
    {
      machine: 'gh12-box',
      roles: ['control-plane', 'worker'],
      nodeName: 'elm-12-a',
      disk: '/dev/disk/by-id/ata-FIR_480_A1',
      card: 'enp1s0',
      address: '10.77.12.8/26',
    },
  ],
}

export const fernlet = {
  name: 'fernlet',
  site: 'tarn-north',
  release: '1.33.2',
  controlPlane: { kind: 'managed', tier: 'plain' },
  pools: [{ name: 'general', size: 'reed-2-8', count: 2 }],
  ranges: { pods: '10.132.0.0/18', services: '10.133.0.0/20', maxPodsPerNode: 110 },
}

export const birch = {
  name: 'birch',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3 },
  pools: [{ name: 'general', size: 'rack-4', count: 2 }],
  ranges: { pods: '10.134.0.0/18', services: '10.135.0.0/20', maxPodsPerNode: 110 },
}

/** Raised from the three machines that stand in the hall's racks. */
export const oak = {
  name: 'oak',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3, alsoWorkers: true },
  pools: [],
  ranges: { pods: '10.136.0.0/18', services: '10.137.0.0/20', maxPodsPerNode: 110 },
  machines: ['a', 'b', 'c'].map((letter, i) => ({
    machine: `m-spare-${i + 1}`,
    roles: ['control-plane', 'worker'],
    nodeName: `oak-${letter}`,
    card: 'eno2',
  })),
}
