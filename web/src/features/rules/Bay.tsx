import { scaleLinear } from 'd3-scale'
import type { Cell } from './drafts'

const WIDTH = 152
const HEIGHT = 17
const BASE = 12

/** A limit as a bay on its row's own scale: what lies inside passes. Heavy where it is not as the first set's. */
export function Bay({ cell, scale, own }: { cell: Cell; scale: number[]; own: boolean }) {
  if (cell.low === null && cell.high === null) return null
  const x = scaleLinear([scale[0] ?? 0, scale[1] ?? 1], [0, WIDTH - 8]).clamp(true)
  const from = cell.low === null ? 0 : x(cell.low)
  const to = cell.high === null ? WIDTH - 4 : x(cell.high)
  const ink = own ? 'var(--color-air)' : cell.differs ? 'var(--color-ink)' : 'var(--color-soft)'
  const heavy = own || cell.differs ? 3.2 : 1.2
  return (
    <svg width={WIDTH} height={HEIGHT} aria-hidden className="block max-w-full">
      <path d={`M0 ${BASE} H${WIDTH - 4}`} stroke="var(--color-line)" strokeWidth="1" />
      <g stroke={ink} strokeWidth={heavy} fill="none">
        <path d={`M${from} ${BASE} H${to}`} />
        {cell.low === null ? (
          <path d={`M6 ${BASE - 4} L1 ${BASE} L6 ${BASE + 4}`} />
        ) : (
          <path d={`M${from} ${BASE + 1} V1`} />
        )}
        {cell.high === null ? (
          <path d={`M${WIDTH - 9} ${BASE - 4} L${WIDTH - 4} ${BASE} L${WIDTH - 9} ${BASE + 4}`} />
        ) : (
          <path d={`M${to} ${BASE + 1} V1`} />
        )}
      </g>
    </svg>
  )
}
