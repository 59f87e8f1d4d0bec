import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Blocked, LocalRun, TestRecorder } from '../../device'
import { inspectionsQuery } from '../../shared/api'

const LOOK_EVERY_MS = 4_000

/** What inspections of this test found that stops something: asked while the next step starts the engine or rolls. */
export function useBlocked(recorder: TestRecorder, run: LocalRun, wanted: boolean): Blocked[] {
  const judged = useQuery({
    ...inspectionsQuery({ run: run.id }),
    enabled: wanted && !run.begin,
    refetchInterval: LOOK_EVERY_MS,
    retry: false,
  }).data
  const [blocked, setBlocked] = useState<Blocked[]>([])
  useEffect(() => {
    if (!wanted) return
    let current = true
    void recorder.blockedBy(run.id, judged ?? []).then((found) => current && setBlocked(found))
    return () => void (current = false)
  }, [recorder, run.id, wanted, judged])
  return wanted ? blocked : []
}
