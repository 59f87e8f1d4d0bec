export { usePreferences } from './preferences'
export { PreferencesMenu } from './PreferencesMenu'
export { knowScripts } from './offlineCopy'
