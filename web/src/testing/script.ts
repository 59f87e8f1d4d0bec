import type { Script } from '../run'
import type { DeviceMark } from '../device'
import compiled from './script.gen.json'

/** A combination's three-part test under the default rules, as the core compiles it. */
export const script = compiled as unknown as Script

let made = 0

/** An event marked now, by a clock that goes on a second with each. */
export function marked(type: string, fields: Record<string, unknown> = {}): DeviceMark {
  made += 1
  const wall = new Date(Date.UTC(2026, 10, 2, 4, 41, made)).toISOString()
  return { id: `e${made}`, seq: made, device: 'd', epoch: 'p', mono_s: made, wall, by: '', type, ...fields }
}
