export { UnitPage } from './UnitPage'
export { UnitsPage } from './UnitsPage'
