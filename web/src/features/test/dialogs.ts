/** What opens over the test screen; loaded right after it. */
export { CourseDialog } from './CourseDialog'
export { MarksDialog } from './MarksDialog'
export { WrongNumber } from './WrongNumber'
export { Shown } from './Shown'
export { SideMarks } from './SideMarks'
