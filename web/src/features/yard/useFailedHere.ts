import { useRecorder } from '../../run'
import { type LocalRun } from '../../device'
import { counts, isStageName, type Stage } from '../../shared/trade'
import { useKnownRuns } from './useKnownRuns'

/**
 * Stages that stand failed by runs of this device which the server's list does not tell of yet, by unit: a fail shows
 * at once, and no begun or abandoned test takes it away, only a later finished one that passes the stage.
 */
export function useFailedHere(listedAt: number): Record<string, Stage[]> {
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  return failedHere(useKnownRuns(recorder) ?? [], listedAt)
}

/** The same from the runs themselves; `listedAt`: when the server told of its units [ms]. */
export function failedHere(runs: LocalRun[], listedAt: number): Record<string, Stage[]> {
  const failed: Record<string, Set<Stage>> = {}
  const counted = runs
    .filter(({ setup, stands, judgedAt = 0 }) => stands && counts(setup.purpose) && judgedAt > listedAt)
    .sort((a, b) => Date.parse(a.startedWall) - Date.parse(b.startedWall))
  for (const { unitId, stands = {}, endedBy } of counted) {
    const stages = (failed[unitId] ??= new Set())
    for (const [stage, outcome] of Object.entries(stands)) {
      if (!isStageName(stage)) continue
      if (outcome === 'fail') stages.add(stage)
      if (outcome === 'pass' && endedBy === 'finished') stages.delete(stage)
    }
  }
  return Object.fromEntries(Object.entries(failed).map(([unit, stages]) => [unit, [...stages]]))
}
