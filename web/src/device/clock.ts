/** This page's clocks. An epoch is one page life: within it the monotonic clock measures, across epochs only the wall. */

export interface Moment {
  device: string
  epoch: string
  mono_s: number
  wall: string
}

const DEVICE_KEY = 'lowhiss.device'

function deviceId(): string {
  const known = localStorage.getItem(DEVICE_KEY)
  if (known) return known
  const made = crypto.randomUUID()
  localStorage.setItem(DEVICE_KEY, made)
  return made
}

export const epoch = crypto.randomUUID()

/** Now, by both clocks; taken before anything else happens to a strike. */
export function now(): Moment {
  return {
    device: deviceId(),
    epoch,
    mono_s: Math.round(performance.now()) / 1000,
    wall: new Date().toISOString(),
  }
}

/** An input older than this was not held up by a busy page: its stamp is another clock's. */
const OLDEST_INPUT_S = 5

/** The moment of an input by its own stamp: a busy page hears of a touch only after it happened. */
export function momentOf({ timeStamp }: { timeStamp: number }): Moment {
  const heard = now()
  const lateS = heard.mono_s - timeStamp / 1000
  return lateS > 0 && lateS < OLDEST_INPUT_S ? earlier(heard, lateS) : heard
}

/** The moment some seconds before another, by both of its clocks. */
export function earlier(moment: Moment, seconds: number): Moment {
  return {
    ...moment,
    mono_s: Math.round((moment.mono_s - seconds) * 1000) / 1000,
    wall: new Date(Date.parse(moment.wall) - seconds * 1000).toISOString(),
  }
}

/** Seconds from `moment` until now: by the monotonic clock in this page life, by the wall clock otherwise. */
export function secondsSince(moment: Moment): number {
  if (moment.epoch === epoch) return performance.now() / 1000 - moment.mono_s
  return Math.max(0, (Date.now() - Date.parse(moment.wall)) / 1000)
}
