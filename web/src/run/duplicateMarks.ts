/** One thing that two devices have both marked: both marks are kept until somebody says which one counts. Pure. */

import { now, type DeviceMark } from '../device'

export interface DuplicateMarks {
  first: DeviceMark
  second: DeviceMark
  apartS: number
}

/** Two marks of one thing further apart than this are two things. */
const SAME_THING_S = 15

/** What a mark is of; null for what may well be said or noted twice. */
function thingOf(event: DeviceMark): string | null {
  switch (event.type) {
    case 'reading':
      return `${event.type} ${String(event.stage)} ${String(event.point)}`
    case 'settled':
      return `${event.type} ${String(event.stage)}`
    case 'warning':
      return event.lamp === true || event.buzzer === true ? event.type : null
    case 'knob':
      return event.cause === 'popped' ? `${event.type} ${String(event.knob)}` : null
    default:
      return null
  }
}

const apart = (a: DeviceMark, b: DeviceMark): number =>
  a.epoch === b.epoch ? b.mono_s - a.mono_s : (Date.parse(b.wall) - Date.parse(a.wall)) / 1000

/** The pairs among events that stand, in order: same thing, different devices, no new attempt between. */
export function duplicatesOf(events: readonly DeviceMark[]): DuplicateMarks[] {
  const last = new Map<string, DeviceMark>()
  const pairs: DuplicateMarks[] = []
  for (const event of events) {
    if (event.type === 'attempt') last.clear()
    const thing = thingOf(event)
    if (!thing) continue
    const before = last.get(thing)
    const apartS = before ? apart(before, event) : Infinity
    if (before && before.device !== event.device && Math.abs(apartS) <= SAME_THING_S) {
      pairs.push({ first: before, second: event, apartS: Math.abs(apartS) })
    }
    last.set(thing, event)
  }
  return pairs
}

/** Whether a mark was marked on this device. */
export const isOwn = (event: DeviceMark): boolean => event.device === now().device
