/** The computations of areas that have a file of their own. */
import type { Computation } from './computation'
import { diagnosisComputations } from './diagnosis'
import { renewComputations } from './renew'
import { storageComputations } from './storage'
import { wireComputations } from './wire'

export const areaComputations: readonly Computation[] = [
  ...wireComputations,
  ...storageComputations,
  ...renewComputations,
  ...diagnosisComputations,
]
