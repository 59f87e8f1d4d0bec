import { useEffect, useEffectEvent, useRef } from 'react'
import type { LocalRun, TestRecorder } from '../../device'
import type { Phase } from './phase'

const LOOK_MS = 400

/** On the practice vehicle what is asked for and is so already is taken as it is: its states are its own. */
export function useVehicleTicks(recorder: TestRecorder, run: LocalRun, phase: Phase): void {
  const need = phase.name === 'ask' ? phase.need : null
  const yes = need ? (run.script.needs[need]?.yes ?? []) : []
  const taken = useRef<string | null>(null)
  const look = useEffectEvent(async () => {
    if (!recorder.isSo || yes.length === 0 || taken.current === need) return
    if (!(await recorder.isSo(yes)) || taken.current === need) return
    taken.current = need
    await recorder.mark(run.id, yes)
  })
  const knows = recorder.isSo !== undefined
  useEffect(() => {
    taken.current = null
    if (!need || !knows) return
    const timer = setInterval(() => void look().catch(() => undefined), LOOK_MS)
    return () => clearInterval(timer)
  }, [need, knows])
}
