import { useState } from 'react'
import { HOUSE_WAY, type RunSetup } from '../../device'
import { begunWith, type Schema } from '../../shared/api'

/** What is said aloud is taken down where somebody learns, and left alone where a vehicle only has to leave. */
export const callsFor: Record<RunSetup['purpose'], RunSetup['calls']> = {
  dispatch: 'off',
  training: 'prompt',
  rehearsal: 'rehearsal',
}

const KEY = 'lowhiss.way'
/** What the next test on this device begins with; never what it is for: a rehearsal does not count for a vehicle. */
const REMEMBERED = ['timekeeper', 'policy', 'readings'] as const

export interface SetupState {
  setup: RunSetup
  rules: string
  /** As it was chosen; the school's own where it was not. */
  procedure: string | undefined
  change: (part: Partial<RunSetup>) => void
  chooseRules: (rules: string) => void
  chooseProcedure: (procedure: string) => void
  /** Keep the way for the next test on this device. */
  remember: () => void
}

/** What is chosen before a test begins, from the unit's own choices and from how the last test here was led. */
export function useSetup(unit: Pick<Schema['YardUnitOut'], 'rules' | 'procedure' | 'status'>): SetupState {
  const own = unit.procedure ?? undefined
  const [first] = useState(() => begunWith(unit))
  const [rules, setRules] = useState(first.rules)
  const [procedure, setProcedure] = useState(first.procedure)
  const [setup, setSetup] = useState<RunSetup>(() => ({ ...HOUSE_WAY, ...remembered() }))
  const [callsChosen, setCallsChosen] = useState(false)
  return {
    setup,
    rules,
    procedure,
    change: (part) => {
      if (part.calls) setCallsChosen(true)
      const calls = part.purpose && !callsChosen ? { calls: callsFor[part.purpose] } : {}
      setSetup((now) => ({ ...now, ...calls, ...part }))
    },
    chooseRules: (next) => {
      setRules(next)
      // the order of work is the school's own unless the unit has one
      setProcedure(own)
    },
    chooseProcedure: setProcedure,
    remember: () => {
      const way = Object.fromEntries(REMEMBERED.map((name) => [name, setup[name]]))
      try {
        localStorage.setItem(KEY, JSON.stringify(way))
      } catch {
        // a device without room begins the next test in the usual way
      }
    },
  }
}

const CHOICES: { [name in (typeof REMEMBERED)[number]]: readonly unknown[] } = {
  timekeeper: ['tool', 'driver', 'watcher'],
  policy: [null, 'both', 'primary'],
  readings: ['eye', 'feed'],
}

function remembered(): Partial<RunSetup> {
  try {
    const way = JSON.parse(localStorage.getItem(KEY) ?? '{}') as Record<string, unknown>
    return Object.fromEntries(
      REMEMBERED.flatMap((name) => (CHOICES[name].includes(way[name]) ? [[name, way[name]]] : [])),
    )
  } catch {
    return {}
  }
}
