export { AboutPage } from './AboutPage'
