export { SetupPage } from './SetupPage'
