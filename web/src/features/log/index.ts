export { LogPage } from './LogPage'
export { ComparePage } from './ComparePage'
