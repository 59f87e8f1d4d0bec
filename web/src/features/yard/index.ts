export { YardPage } from './YardPage'
export { GatePage } from './GatePage'
