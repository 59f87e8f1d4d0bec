export { InspectionPage } from './InspectionPage'
export { InspectionSheet } from './InspectionSheet'
export { StartInspection } from './StartInspection'
