/** The computations of areas that have a file of their own. */
import type { Computation } from './computation'
import { diagnosisComputations } from './diagnosis'
import { rehearseComputations } from './rehearse'
import { renewComputations } from './renew'
import { storageComputations } from './storage'
import { timeComputations } from './times'
import { wireComputations } from './wire'

export const areaComputations: readonly Computation[] = [
  ...timeComputations,
  ...wireComputations,
  ...storageComputations,
  ...renewComputations,
  ...diagnosisComputations,
  ...rehearseComputations,
]
