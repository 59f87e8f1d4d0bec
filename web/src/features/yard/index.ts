export { YardPage } from './YardPage'
