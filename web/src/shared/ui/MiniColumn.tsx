import { scaleLinear } from 'd3-scale'
import type { Schema } from '../api'

const TOP_PSI = 150
const y = scaleLinear([0, TOP_PSI], [52, 4])

/** A run at a glance: the air column as a small figure, comparable down a list. */
export function MiniColumn({ column }: { column: Schema['ColumnOut'] }) {
  return (
    <svg width="46" height="56" aria-hidden className="block">
      <rect x="16" y="4" width="11" height="48" fill="var(--color-sheet)" stroke="var(--color-ink)" />
      {column.fill_psi !== null && (
        <rect
          x="16.5"
          y={y(column.fill_psi)}
          width="10"
          height={51.5 - y(column.fill_psi)}
          fill="var(--color-air)"
        />
      )}
      {column.bays.map((bay) => (
        <path
          key={bay.stage}
          d={`M14 ${y(bay.high_psi ?? bay.low_psi ?? 0)} h-5 V${y(bay.low_psi ?? bay.high_psi ?? 0)} h5`}
          fill="none"
          stroke="var(--color-ink)"
        />
      ))}
      {column.pins.map((pin) => (
        <path
          key={pin.stage + pin.point}
          d={`M29 ${y(pin.psi)} l9 -4 v8 z`}
          fill={pin.outcome === 'fail' ? 'var(--color-clay)' : 'var(--color-ink)'}
        />
      ))}
    </svg>
  )
}
