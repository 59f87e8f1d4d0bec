import type { Script, WireEvent } from '../live'

/** A combination's leak test under the default rules, as the server compiles it. */
export const script: Script = {
  format: 'low-hiss-script/1',
  version: 'test',
  procedure: { id: 'leak-check', title: { en: 'Leak check', es: 'Prueba de fuga' } },
  rules: { id: 'us-cdl', title: { en: 'US', es: 'EE. UU.' }, hash: 'x' },
  knobs: ['tractor', 'trailer'],
  needles: ['primary', 'secondary'],
  lowest_psi: 0,
  highest_psi: 200,
  advised_wait_s: 20,
  needle_rose_psi: 2,
  charged_psi: 90,
  hold_short_s: 0.5,
  steps: [
    { step: 'release', needs: [], limit: null, strikes: [], says: [], does: { en: '', es: '' } },
    {
      step: 'leak_applied',
      strikes: ['pedal_full', 'settled', 'start', 'end'],
      says: ['limit:leak_applied'],
      does: { en: '', es: '' },
      needs: ['wheels_chocked', 'engine_off', 'key_on', 'area_clear', 'knobs_in', 'pedal_full', 'settled'],
      limit: {
        key: 'leak_applied.combination',
        words: { en: 'No more than four.', es: 'No más de cuatro.' },
        hold_s: 60,
        window_psi: null,
        bounds: [{ comparator: 'at_most', value: 4, of: null }],
        unit: 'psi',
      },
    },
  ],
}

let made = 0

/** An event struck now, by a clock that goes on a second with each. */
export function struck(type: string, fields: Record<string, unknown> = {}): WireEvent {
  made += 1
  const wall = new Date(Date.UTC(2026, 10, 2, 4, 41, made)).toISOString()
  return { id: `e${made}`, seq: made, device: 'd', epoch: 'p', mono_s: made, wall, by: '', type, ...fields }
}
