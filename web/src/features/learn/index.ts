export { Learn } from './Rooms'
