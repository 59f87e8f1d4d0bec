export { SetupPage } from './SetupPage'
export { TestPage } from './TestPage'
