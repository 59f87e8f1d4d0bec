import type { ReactNode } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { LiveRun } from '../../device'
import { stateOf } from '../../run'

/** A control of the cab, as far as a step can be about it. */
export type Hand = 'key' | 'pedal' | 'gear' | 'parking' | 'trailer' | 'cab'

const BY_TYPE: Record<string, Hand> = { engine: 'key', key: 'key', pedal: 'pedal', confirmed: 'cab' }
const BY_GEAR = new Set<unknown>(['neutral', 'in_gear'])

/** The control that the present step wants moved: of the first thing that is not yet so. */
export function handOf({ run, events }: LiveRun): Hand | null {
  const { lead } = stateOf(
    run.script,
    events.map(({ event }) => event),
  )
  const [need] = lead.unmet
  const wanted = need ? run.script.needs[need]?.yes[0] : lead.missing[0]
  if (!wanted) return null
  if (wanted.type === 'knob') {
    // a knob that is to pop is watched, not touched
    return wanted.cause === 'popped' ? null : wanted.knob === 'trailer' ? 'trailer' : 'parking'
  }
  return BY_GEAR.has(wanted.item) ? 'gear' : (BY_TYPE[String(wanted.type)] ?? null)
}

/** A hand beside the control that is meant. */
export function Handed({ on, children }: { on: boolean; children: ReactNode }) {
  const { t } = useTranslation()
  return (
    <div className="relative min-h-0" data-hand={on || undefined}>
      {children}
      {on && (
        <svg
          viewBox="0 0 24 24"
          width="26"
          height="26"
          role="img"
          aria-label={t('practice.hand')}
          className="pointer-events-none absolute -top-1 -right-1 z-10"
        >
          <circle cx="12" cy="12" r="11.2" className="fill-air" />
          <path
            d="M9.4 5a1.4 1.4 0 0 1 2.8 0v6.2l4.7 1c1 .2 1.6 1.1 1.5 2.1l-.4 3c-.2 1-1 1.8-2 1.8h-4.4c-.8 0-1.5-.4-2-1L5.8 14c-.5-.8.4-1.8 1.3-1.4l2.3 1z"
            className="fill-on-air"
          />
        </svg>
      )}
    </div>
  )
}
