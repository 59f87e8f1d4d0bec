import type { Words } from '../i18n/en'

export type MarkName = keyof Words['test']['mark']

const ITEMS = [
  'wheels_chocked',
  'chocks_removed',
  'area_clear',
  'seat_belt',
  'neutral',
  'in_gear',
  'abs_lamps_out',
  'window_down',
  'level_ground',
] as const
const AS_THEY_ARE = [
  'settled',
  'valued',
  'withdrawn',
  'late_confirmed',
  'finished',
  'made_safe',
  'abandoned',
  'held',
  'rolled',
  'attempt',
  'skipped',
  'said',
  'note',
] as const
const POINTS = ['lower', 'upper', 'cut_out', 'cut_in', 'start', 'end'] as const

const among = <T extends string>(allowed: readonly T[], value: unknown): T | 'other' =>
  allowed.find((name) => name === value) ?? 'other'

/** The word for a mark. */
export function markName(event: { type: string } & Record<string, unknown>): MarkName {
  switch (event.type) {
    case 'confirmed':
      return among(ITEMS, event.item)
    case 'engine':
      return event.state === 'off' ? 'engine_off' : 'engine_running'
    case 'key':
      return event.state === 'on' ? 'key_on' : 'key_off'
    case 'knob': {
      const way = event.state === 'in' ? 'in' : event.cause === 'popped' ? 'popped' : 'out'
      return `${event.knob === 'trailer' ? 'trailer' : 'tractor'}_${way}`
    }
    case 'pedal':
      return event.state === 'full' ? 'pedal_full' : 'pedal_released'
    case 'reading':
      return among(POINTS, event.point)
    case 'warning': {
      if (event.lamp === false || event.buzzer === false) return 'no_warning'
      if (event.lamp !== undefined && event.buzzer !== undefined) return 'warning'
      return event.lamp !== undefined ? 'lamp' : 'buzzer'
    }
    default:
      return among(AS_THEY_ARE, event.type)
  }
}
