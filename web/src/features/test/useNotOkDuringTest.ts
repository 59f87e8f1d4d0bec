import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { LocalRun, TestRecorder } from '../../device'
import { inspectionsQuery } from '../../shared/api'

const LOOK_EVERY_MS = 4_000

/** Whether the inspection beside a test found something that must not move: asked once something is to roll. */
export function useNotOkDuringTest(recorder: TestRecorder, run: LocalRun, rolls: boolean): boolean {
  const told = useQuery({
    ...inspectionsQuery({ run: run.id }),
    enabled: rolls && !run.begin,
    refetchInterval: LOOK_EVERY_MS,
    retry: false,
  }).data
  const [here, setHere] = useState(false)
  useEffect(() => {
    if (!rolls) return
    let wanted = true
    void recorder.staysBeside(run.id).then((stays) => wanted && setHere(stays))
    return () => void (wanted = false)
  }, [recorder, run.id, rolls])
  return rolls && (here || (told ?? []).some(({ figures }) => figures.worst === 'stay'))
}
