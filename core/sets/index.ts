/** Sets of changes: several drafts that run as one. */
export {
  memberFinding,
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
