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
  logQuery,
  openRunsQuery,
  peopleQuery,
  rulebookQuery,
  scriptQuery,
  needlesQuery,
  schoolsQuery,
  sheetQuery,
  trailersQuery,
  trendsQuery,
  unitQuery,
  unitsQuery,
} from './queries'
export type { LogOutcome } from './queries'
export type { operations } from './schema.gen'
