export { InspectionPage } from './InspectionPage'
export { InspectionReport } from './InspectionReport'
export { StartInspection } from './StartInspection'
