/** A machine that a site of the demo has room for, as it is asked for. */
export const rowanMachine = (name: string) => ({
  site: 'palisade-east',
  name,
  zone: 'east-1',
  size: 'post-4-16',
  release: '1.33.2',
  rootDiskGb: 60,
  lifetime: 'on-demand',
  cluster: 'rowan',
  apart: null,
  network: null,
  address: null,
})
