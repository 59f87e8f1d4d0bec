export { PeoplePage } from './PeoplePage'
