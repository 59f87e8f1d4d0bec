export { earlier, epoch, momentOf, now, secondsSince } from './clock'
export type { ClockReading } from './clock'
export type {
  Body,
  Coach,
  DeviceEvent,
  LocalAct,
  LocalInspection,
  LocalRun,
  RunSetup,
  DeviceMark,
} from './db'
export { askCore, judgeHere, saveJudge, inspectionScriptHere, inspectionStateHere } from './deviceJudge'
export { saveOfflineCopy } from './offlineCopy'
export { knowScripts } from './scripts'
export { headOf, recordOf } from './record'
export { HOUSE_WAY } from './fetchRun'
export { forgetSessionKey, saveSessionKey } from './marks'
export { leads, Recorder } from './recorder'
import type { LiveRun } from './live'
export type { LiveRun, TestRecorder } from './live'
export type { NewRun, Waits } from './recorder'
export type { Described, Frame, Practice } from './practice'
export { inspectionRecordOf } from './inspections'
export type { Blocked, LiveInspection, NewInspection, Inspections } from './inspections'
export { keepConnected, keepTalking } from './socket'

/** What the core on this device says of a run: fetched when there is no contact, not with the screen. */
export async function judgeLive(live: LiveRun, language: string, unit: string) {
  const [{ judgeHere }, { recordOf }] = await Promise.all([import('./deviceJudge'), import('./record')])
  return judgeHere(recordOf(live), language, unit)
}
