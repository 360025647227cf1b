/** Sets of changes: several drafts that run as one. */
export {
  memberKey,
  type MemberRead,
  memberSteps,
  memberWorst,
  type ReadMember,
  type SetIntent,
  setIntent,
  setName,
  setRunOf,
} from './set-run'
