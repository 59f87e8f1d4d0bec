import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import { reportQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { judgeLive, type LiveRun, type DeviceEvent, type TestRecorder } from '../../device'

export interface Verdicts {
  /** Every mark of this run has reached the server. */
  delivered: boolean
  /** Something that is judged has been marked since the latest verdict. */
  stale: boolean
  /** Every attempt as the core judged it, with all marks; undefined while that is not known. */
  now: Schema['StageOut'][] | undefined
  /** The same, perhaps from before the newest marks: for what stands on the course. */
  latest: Schema['StageOut'][]
  /** There is no contact: the same core judged on this device, and the server's judgement will confirm it. */
  onDevice: boolean
}

const JUDGED = new Set(['reading', 'valued', 'warning', 'withdrawn', 'attempt'])
const isJudged = ({ type, cause }: Record<string, unknown>) => JUDGED.has(String(type)) || cause === 'popped'

/** What the core says of the run, as soon as it has every mark. */
export function useVerdicts(recorder: TestRecorder, live: LiveRun): Verdicts {
  const { unit, language } = useFigures()
  const delivered =
    !live.run.begin && !live.run.refused && live.events.every(({ delivery }) => delivery !== 'waiting')
  const report = useQuery({
    ...reportQuery(live.run.id, language, unit, `after ${live.events.length} marks`),
    enabled: delivered,
  })
  const alone = !delivered && !live.reached && !live.run.refused
  const here = useQuery({
    queryKey: ['here', live.run.id, language, unit, live.events.length],
    queryFn: () => judgeLive(live, language, unit),
    enabled: alone,
    networkMode: 'always',
    retry: false,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  })
  const hereNow = alone && here.data && !here.isPlaceholderData ? here.data.verdict.stages : undefined
  const stages = (alone ? here.data?.verdict.stages : undefined) ?? report.data?.verdict.stages
  const told = delivered && !report.isPlaceholderData ? report.data?.verdict.stages : hereNow
  useNoted(recorder, live.run.id, told)
  const judged = report.data?.run.last_seq ?? 0
  const unjudged = ({ delivery, serverSeq }: DeviceEvent) =>
    delivery === 'waiting' || (delivery === 'kept' && (serverSeq ?? 0) > judged)
  return {
    delivered,
    stale:
      hereNow === undefined &&
      (!report.data || live.events.some((local) => unjudged(local) && isJudged(local.event))),
    now: told,
    latest: stages ?? [],
    onDevice: hereNow !== undefined,
  }
}

/** Writes down on the device how the stages stand: the yard shows a fail before the server has heard of it. */
function useNoted(recorder: TestRecorder, runId: string, stages: Schema['StageOut'][] | undefined) {
  useEffect(() => {
    if (!stages) return
    const standing = stages.filter(({ stands }) => stands).map(({ stage, outcome }) => [stage, outcome])
    void recorder
      .noteStanding(runId, Object.fromEntries(standing) as Record<string, string>)
      .catch(() => undefined)
  }, [recorder, runId, stages])
}
