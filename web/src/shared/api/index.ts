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
  roundQuery,
  roundScriptQuery,
  roundsQuery,
  roundStartQuery,
  roundStateQuery,
  rulebookQuery,
  begunWith,
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
export type { operations as Operations } from './schema.gen'
