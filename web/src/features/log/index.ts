export { LogPage } from './LogPage'
