export { Conductor } from './Conductor'
export { TestPage } from './TestPage'
