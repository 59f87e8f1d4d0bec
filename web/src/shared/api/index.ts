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
  logQuery,
  openRunsQuery,
  peopleQuery,
  readAs,
  readingQuery,
  readTokensQuery,
  rulebookQuery,
  scriptQuery,
  needlesQuery,
  schoolsQuery,
  sheetQuery,
  trailersQuery,
  trendsQuery,
  unitQuery,
  unitsQuery,
  workshopQuery,
} from './queries'
export type { LogOutcome } from './queries'
export type { operations } from './schema.gen'
