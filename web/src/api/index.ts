export { api, ApiError, need } from './client'
export type { Schema } from './client'
export { aboutQuery, logQuery, scriptQuery, sheetQuery, unitsQuery } from './queries'
export type { LogOutcome } from './queries'
