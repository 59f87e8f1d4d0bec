import { useEffect, useEffectEvent } from 'react'
import { earlier, now, secondsSince, type ClockReading } from '../../device'
import { scheduleHold, scheduleSettled, type Mark } from '../../run'

/** Up to this late, an end is the clock's own: the tone sounded in time, only this page got its turn late. */
const OWN_END_S = 2
/** The page in which a hold was started ends it; another tab or device only when that one does not. */
const OTHER_TAB_S = 1.5

/** Ends the hold when its time is over, once, and schedules its tones; `holdS` null leaves the end to a mark. */
export function useHoldEnd(
  start: Mark | undefined,
  holdS: number | null,
  end: (at: ClockReading) => void,
): void {
  const ended = useEffectEvent(end)
  const startId = start?.id
  useEffect(() => {
    if (!start || holdS === null) return
    const { device, epoch } = now()
    const patienceS = start.epoch === epoch && start.device === device ? 0 : OTHER_TAB_S
    const cancelTones = scheduleHold(holdS - secondsSince(start))
    let over = false
    const check = () => {
      const lateS = secondsSince(start) - holdS
      if (over || lateS < patienceS) return
      over = true
      ended(lateS < OWN_END_S ? earlier(now(), lateS) : now())
    }
    const timer = setInterval(check, 50)
    check()
    return () => {
      clearInterval(timer)
      // a hold that ran its time keeps sounding its end
      if (secondsSince(start) < holdS) cancelTones()
    }
    // one hold, one timer: only a new start mark may set another
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [startId, holdS])
}

/** One tone when the tanks have had their time. */
export function useSettledTone(since: ClockReading | null, advisedS: number, waiting: boolean): void {
  const key = waiting && since ? `${since.epoch} ${since.mono_s}` : ''
  useEffect(() => {
    if (!key || !since) return
    return scheduleSettled(advisedS - secondsSince(since))
    // one wait, one tone
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key, advisedS])
}
