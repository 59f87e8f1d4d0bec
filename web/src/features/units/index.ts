export { UnitPage } from './UnitPage'
export { UnitsPage } from './UnitsPage'
export { WorkshopPage } from './WorkshopPage'
