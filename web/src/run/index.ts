export { ReportDefect } from './acts/ReportDefect'
export { Unread } from './acts/Unread'
export { ReasonDialog } from './acts/ReasonDialog'
export { useActs, useWaitingActs } from './acts/useActs'
export type { PartRef } from './acts/useActs'
export { isOwn, duplicatesOf } from './duplicateMarks'
export type { DuplicateMarks } from './duplicateMarks'
export { useFeed } from './feed'
export type { FeedState, Proposal } from './feed'
export { isHeld, isStage } from './guide'
export type { Entry, Lead, Need, Script, Step, StrikeSpec } from './guide'
export { markName } from './markNames'
export type { MarkName } from './markNames'
export {
  mute,
  scheduleHold,
  scheduleSettled,
  soundIsOn,
  soundState,
  speak,
  tryTones,
  unlockSound,
  useSound,
} from './sound'
export { isSet, numbersOf, standing, stateOf, stepOf } from './state'
export type { Mark, Needle, Point, TestState } from './state'
export { RecorderContext, useLiveRun, useRecorder } from './useLiveRun'
export type { RecorderState } from './useLiveRun'
export {
  foldRound,
  isAnswered,
  isDone,
  ItemCard,
  listening,
  nextOpen,
  offered,
  stepsOf,
  Told,
  useRound,
} from './round'
export type { Ask, Answer, RoundFold, RoundHere, RoundScript, RoundStep } from './round'
