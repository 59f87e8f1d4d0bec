import { useEffect, useState } from 'react'

/** Draws again a few times a second while something runs; the time itself is always read from the clock. */
export function useTicking(running: boolean, everyMs = 100): void {
  const [, draw] = useState(0)
  useEffect(() => {
    if (!running) return
    const timer = setInterval(() => draw((n) => n + 1), everyMs)
    return () => clearInterval(timer)
  }, [running, everyMs])
}

/** Keeps the screen awake while the test runs; asks again when the page comes back into view. */
export function useWakeLock(): void {
  useEffect(() => {
    let lock: WakeLockSentinel | undefined
    let wanted = true
    const ask = () => {
      if (!('wakeLock' in navigator) || document.visibilityState !== 'visible') return
      navigator.wakeLock.request('screen').then(
        (given) => {
          if (wanted) lock = given
          else void given.release()
        },
        () => undefined, // refused on low battery: the test goes on, the screen may dim
      )
    }
    ask()
    document.addEventListener('visibilitychange', ask)
    return () => {
      wanted = false
      document.removeEventListener('visibilitychange', ask)
      void lock?.release()
    }
  }, [])
}
