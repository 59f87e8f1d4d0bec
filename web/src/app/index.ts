export { usePreferences } from './preferences'
export { PreferencesMenu } from './PreferencesMenu'
