export {
  fetchMe,
  keepMe,
  lastMe,
  leave,
  NOBODY,
  SessionContext,
  stay,
  useMay,
  useMayAct,
  useSession,
} from './session'
export type { Me, Person } from './session'
