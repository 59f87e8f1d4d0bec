export { NOBODY, SessionContext, useMay, useMayAct, useSession } from './session'
export type { Me, Person } from './session'
