import { useQuery } from '@tanstack/react-query'
import { sheetQuery, type Schema } from '../../api'
import { useFigures } from '../../figures/useFigures'
import type { LiveRun } from '../../live'

export interface Verdicts {
  /** Every mark of this run has reached the server. */
  delivered: boolean
  /** Something that is judged has been struck since the latest verdict. */
  stale: boolean
  /** Every attempt as the core judged it, with all marks; undefined while that is not known. */
  now: Schema['StageOut'][] | undefined
  /** The same, perhaps from before the newest marks: for what stands on the course. */
  latest: Schema['StageOut'][]
}

const JUDGED = new Set(['reading', 'valued', 'warning', 'withdrawn', 'attempt'])
const isJudged = ({ type, cause }: Record<string, unknown>) => JUDGED.has(String(type)) || cause === 'popped'

/** What the core says of the run, as soon as it has every mark. */
export function useVerdicts(live: LiveRun): Verdicts {
  const { unit, language } = useFigures()
  const delivered =
    !live.run.begin && !live.run.refused && live.events.every(({ delivery }) => delivery !== 'waiting')
  const sheet = useQuery({
    ...sheetQuery(live.run.id, language, unit, live.events.length),
    enabled: delivered,
  })
  const stages = sheet.data?.verdict.stages
  const judged = sheet.data?.run.last_seq ?? 0
  const kept = live.events.filter(({ delivery }) => delivery !== 'aside')
  return {
    delivered,
    stale: !sheet.data || kept.slice(judged).some(({ event }) => isJudged(event)),
    now: delivered && !sheet.isPlaceholderData ? stages : undefined,
    latest: stages ?? [],
  }
}
