export { CheckPage } from './CheckPage'
