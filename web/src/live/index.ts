export { earlier, momentOf, now, secondsSince } from './clock'
export type { Moment } from './clock'
export type { LocalEvent, LocalRun, RunSetup, WireEvent } from './db'
export { isStage } from './lead'
export type { Body, Entry, Lead, Need, Script, Step, StrikeSpec } from './lead'
export { isSet, numbersOf, standing, stateOf, stepOf } from './state'
export type { Mark, Needle, Point, TestState } from './state'
export { judgeHere, keepJudge } from './deviceJudge'
export { headOf, recordOf } from './record'
export { useFeed } from './feed'
export type { FeedState, Proposal } from './feed'
export { isOwn, twinsOf } from './twins'
export type { Twins } from './twins'
export { markName } from './marks'
export type { MarkName } from './marks'
export { HOUSE_WAY, leads, Recorder } from './recorder'
export type { LiveRun, NewRun, Waits } from './recorder'
export {
  mute,
  scheduleHold,
  scheduleSettled,
  soundState,
  soundIsOn,
  speak,
  tryTones,
  unlockSound,
  useSound,
} from './sound'
export { RecorderContext, useLiveRun, useRecorder } from './useLiveRun'
export type { RecorderState } from './useLiveRun'
