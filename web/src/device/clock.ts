/** This page's clocks. An epoch is one page life: within it the monotonic clock measures, across epochs only the wall. */

export interface ClockReading {
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

/** Another clock than this page's: that of a practice vehicle, which may stand still. */
export interface TimeSource {
  epoch: string
  /** Its time now [s]. */
  now: () => number
  /** Its time at an input's own stamp [ms] [s]. */
  at: (stampMs: number) => number
}

let source: TimeSource | null = null

/** Stamp what is marked by another clock from now on; null: by this page's own again. */
export function keepTimeBy(other: TimeSource | null): void {
  source = other
}

const thousandths = (seconds: number): number => Math.round(seconds * 1000) / 1000

/** Now, by both clocks; taken before anything else happens to a mark. */
export function now(): ClockReading {
  return {
    device: deviceId(),
    epoch: source?.epoch ?? epoch,
    mono_s: thousandths(source?.now() ?? performance.now() / 1000),
    wall: new Date().toISOString(),
  }
}

/** An input older than this was not held up by a busy page: its stamp is another clock's. */
const OLDEST_INPUT_S = 5

/** The moment of an input by its own stamp: a busy page hears of a touch only after it happened. */
export function momentOf({ timeStamp }: { timeStamp: number }): ClockReading {
  const heard = now()
  const lateS = thousandths(performance.now() / 1000) - timeStamp / 1000
  if (!(lateS > 0 && lateS < OLDEST_INPUT_S)) return heard
  return source ? { ...heard, mono_s: thousandths(source.at(timeStamp)) } : earlier(heard, lateS)
}

/** The moment some seconds before another, by both of its clocks. */
export function earlier(moment: ClockReading, seconds: number): ClockReading {
  return {
    ...moment,
    mono_s: Math.round((moment.mono_s - seconds) * 1000) / 1000,
    wall: new Date(Date.parse(moment.wall) - seconds * 1000).toISOString(),
  }
}

/** Seconds from `moment` until now: by the monotonic clock in this page life, by the wall clock otherwise. */
export function secondsSince(moment: ClockReading): number {
  if (source?.epoch === moment.epoch) return source.now() - moment.mono_s
  if (moment.epoch === epoch) return performance.now() / 1000 - moment.mono_s
  return Math.max(0, (Date.now() - Date.parse(moment.wall)) / 1000)
}
