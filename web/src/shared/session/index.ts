export { fetchMe, keepMe, lastMe, leave, NOBODY, SessionContext, stay, useMay, useSession } from './session'
export type { Me, Person } from './session'
