import { useEffect, useState } from 'react'

/** Draws a component again and again while it is shown, as a clock must; the time itself is always read from the clock. */
export function useTicking(everyMs = 100): void {
  const [, draw] = useState(0)
  useEffect(() => {
    const timer = setInterval(() => draw((n) => n + 1), everyMs)
    return () => clearInterval(timer)
  }, [everyMs])
}

/** Whether the screen is kept awake: `lost` where the browser refuses it, or cannot. */
export type Awake = 'asking' | 'kept' | 'lost'

/** Keeps the screen awake while the test runs; asks again when the page comes back into view. */
export function useWakeLock(): Awake {
  const [awake, setAwake] = useState<Awake>('wakeLock' in navigator ? 'asking' : 'lost')
  useEffect(() => {
    let lock: WakeLockSentinel | undefined
    let wanted = true
    const ask = () => {
      if (!('wakeLock' in navigator) || document.visibilityState !== 'visible') return
      navigator.wakeLock.request('screen').then(
        (given) => {
          if (!wanted) return void given.release()
          lock = given
          setAwake('kept')
          given.addEventListener('release', () => wanted && setAwake('lost'))
        },
        () => wanted && setAwake('lost'), // refused, as on low battery: the test goes on, and it is seen
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
  return awake
}
