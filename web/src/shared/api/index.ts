export {
  api,
  ApiError,
  csrfWord,
  need,
  onSignedOut,
  personHere,
  rememberCsrf,
  rememberPerson,
} from './client'
export type { Schema } from './client'
export {
  aboutQuery,
  allUnitsQuery,
  calendarQuery,
  FLEET_KEYS,
  groupsQuery,
  openRunsQuery,
  papersQuery,
  peopleQuery,
  readAs,
  inspectionQuery,
  inspectionScriptQuery,
  inspectionsQuery,
  inspectionStartQuery,
  inspectionStateQuery,
  rulebookQuery,
  begunWith,
  scriptQuery,
  needlesQuery,
  schoolsQuery,
  reportQuery,
  trailersQuery,
  trendsQuery,
  unitQuery,
  unitsQuery,
  workshopQuery,
} from './queries'
export type { LogOutcome } from './queries'
export type { operations } from './schema.gen'
export type { operations as Operations } from './schema.gen'
