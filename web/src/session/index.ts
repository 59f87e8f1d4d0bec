export { SessionGate } from './SessionGate'
export { useMay, useSession } from './session'
export type { Me, Person } from './session'
