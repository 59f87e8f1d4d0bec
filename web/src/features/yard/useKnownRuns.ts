import { useEffect, useState } from 'react'
import type { LocalRun, Recorder } from '../../device'

/** What this device knows of its runs, anew whenever that changes; null until it has looked. */
export function useKnownRuns(recorder: Recorder | null): LocalRun[] | null {
  const [runs, setRuns] = useState<LocalRun[] | null>(null)
  useEffect(() => {
    if (!recorder) return
    let wanted = true
    const look = () => void recorder.known().then((known) => wanted && setRuns(known))
    look()
    const stop = recorder.subscribe(look)
    return () => {
      wanted = false
      stop()
    }
  }, [recorder])
  return runs
}
