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
export type { Entry, Need, Script, Step, MarkPrompt } from './guide'
export { markName } from './markNames'
export { mute, scheduleHold, scheduleSettled, speak, tryTones, unlockSound, useSound } from './sound'
export { standing, stateOf, stepOf } from './state'
export type { Mark, Needle, TestState } from './state'
export { RecorderContext, useLiveRun, useRecorder } from './useLiveRun'
export type { RecorderState } from './useLiveRun'
export {
  isAnswered,
  isDone,
  ItemCard,
  listening,
  nextOpen,
  offered,
  Answered,
  useInspection,
} from './inspection'
export type { Ask, InspectionFold, InspectionHere, InspectionScript, InspectionStep } from './inspection'
