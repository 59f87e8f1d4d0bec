/** What is drawn on the test screen. */
export { Course } from './Course'
export { TestColumn } from './TestColumn'
