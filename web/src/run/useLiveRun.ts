import { createContext, use, useEffect, useState, useSyncExternalStore } from 'react'
import type { LiveRun, Recorder } from '../device'

/** The device's recorder, or why there is none. */
export type RecorderState = { recorder: Recorder } | { refusal: string }

export const RecorderContext = createContext<RecorderState | null>(null)

export function useRecorder(): RecorderState {
  const state = use(RecorderContext)
  if (!state) throw new Error('no recorder around this screen')
  return state
}

export type Loaded = { live: LiveRun } | 'loading' | 'gone'

/** A run and everything that happens to it. */
export function useLiveRun(recorder: Recorder, runId: string): Loaded {
  const live = useSyncExternalStore(recorder.subscribe, () => recorder.snapshot(runId))
  const [goneId, setGoneId] = useState('')
  useEffect(() => {
    if (!recorder.snapshot(runId)) recorder.load(runId).catch(() => setGoneId(runId))
  }, [recorder, runId])
  useEffect(() => recorder.listen(runId), [recorder, runId])
  if (live) return { live }
  return goneId === runId ? 'gone' : 'loading'
}
