/** The units of the yard in the order in which they are looked at. Pure. */

import type { Schema } from '../../shared/api'
import type { Stage } from '../../shared/trade'

export type Unit = Schema['YardUnitOut']
export type DueGroup = 'soon' | 'week' | 'month' | 'later' | 'none'

export interface YardUnit {
  unit: Unit
  /** It does not leave as it is: so says the server, or what this device judged and the server has not heard of yet. */
  stays: boolean
  /** Stages that stand failed. */
  failed: Stage[]
  /** What a search may find it by. */
  words: string
}

const DAY_MS = 86_400_000

/**
 * In the server's order, the worst first; what failed on this device a moment ago stands before all. Of what stays, and
 * of what may leave, the units that `driver` drove last come first: they concern them.
 */
export function onYard(units: Unit[], here: Record<string, Stage[]>, driver?: string): YardUnit[] {
  const yard = units.map((unit) => {
    const { holds = [], stays = false } = unit.status ?? {}
    const held = holds.flatMap(({ stage }) => stage ?? [])
    const failed = [...new Set([...held, ...(here[unit.id] ?? [])])]
    const names = [unit.name, ...unit.trailers, unit.latest?.driver ?? '']
    return { unit, stays: stays || failed.length > 0, failed, words: names.join(' ').toLowerCase() }
  })
  const mine = ({ unit }: YardUnit) => Number(driver !== undefined && unit.latest?.driver === driver)
  return yard.sort((a, b) => Number(b.stays) - Number(a.stays) || mine(b) - mine(a))
}

/** When it falls due, roughly; `now` [ms]. */
export function dueGroup({ unit }: YardUnit, now: number): DueGroup {
  const { status, due_at } = unit.status ?? {}
  if (status === 'due') return 'soon'
  if (!due_at) return 'none'
  const days = (Date.parse(due_at) - now) / DAY_MS
  return days <= 7 ? 'week' : days <= 31 ? 'month' : 'later'
}

/** Why it stays, in the server's words, the first of it; empty where the device alone knows. */
export function whyItStays({ unit }: YardUnit): { text: string; by: string; next: string } {
  const [hold] = unit.status?.holds ?? []
  if (hold) return { text: hold.text, by: hold.by, next: hold.ways[0]?.text ?? '' }
  const defect = unit.status?.defects.find(({ consequence }) => consequence === 'stay')
  if (defect) return { text: defect.text, by: defect.by, next: defect.state_text }
  return { text: '', by: '', next: '' }
}
