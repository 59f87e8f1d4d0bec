export { AfterPage } from './AfterPage'
export { DashPage } from './DashPage'
export { PracticePage } from './PracticePage'
export { WatchPage } from './WatchPage'
