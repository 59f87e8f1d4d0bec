export { TestPage } from './TestPage'
