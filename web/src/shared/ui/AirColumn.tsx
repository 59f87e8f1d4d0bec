import { scaleLinear } from 'd3-scale'
import { useId } from 'react'
import { reading, fromPsi, type PressureUnit } from '../figures/format'
import { useSize } from './useSize'

const TOP_PSI = 150
const MARGIN = 22

export interface Bay {
  low: number | null
  high: number | null
  name: string
  text: string
  now?: boolean
}

export interface Pin {
  psi: number
  text: string
  out?: boolean
  now?: boolean
}

interface AirColumnProps {
  unit: PressureUnit
  fill: number | null
  /** Said inside the fill: how the reading was taken and how old it is. */
  note?: string[]
  bays: Bay[]
  pins: Pin[]
  label: string
  narrow?: boolean
  /** Only a live feed is drawn solid; a reading by eye is hatched. */
  solid?: boolean
}

/** The tall pressure scale: filled to the last reading, windows as bays on its left, marks pinned on its right. */
export function AirColumn({
  unit,
  fill,
  note = [],
  bays,
  pins,
  label,
  narrow = false,
  solid = false,
}: AirColumnProps) {
  const { width, height, box } = useSize()
  return (
    <div ref={box} className="relative h-full w-full overflow-hidden">
      {height > 0 && (
        <svg
          width={width}
          height={height}
          className="absolute inset-0"
          role="img"
          aria-label={label}
          style={{ fontFamily: 'var(--font-sans)' }}
        >
          <Scale {...{ unit, fill, note, bays, pins, narrow, solid, width, height }} />
        </svg>
      )}
    </div>
  )
}

type ScaleProps = Omit<AirColumnProps, 'label'> & { width: number; height: number }

function Scale({ unit, fill, note = [], bays, pins, narrow, solid, width, height }: ScaleProps) {
  const pattern = useId()
  const y = scaleLinear([0, TOP_PSI], [height - MARGIN, MARGIN])
  const bar = narrow ? 26 : 60
  const x = narrow ? 14 : width * 0.5 - 10
  return (
    <>
      <defs>
        <pattern
          id={pattern}
          width="7"
          height="7"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <rect width="7" height="7" fill="var(--color-air)" />
          <rect width="2.2" height="7" fill="var(--color-air-stripe)" />
        </pattern>
      </defs>
      <rect
        x={x}
        y={y(TOP_PSI)}
        width={bar}
        height={y(0) - y(TOP_PSI)}
        fill="var(--color-sheet)"
        stroke="var(--color-ink)"
        strokeWidth="2"
      />
      {fill !== null && (
        <rect
          x={x + 1}
          y={y(fill)}
          width={bar - 2}
          height={y(0) - y(fill) - 1}
          fill={solid ? 'var(--color-air)' : `url(#${pattern})`}
        />
      )}
      {fill !== null &&
        !narrow &&
        note.map((line, row) => (
          <text
            key={line}
            x={x + bar / 2}
            y={y(0) - 12 - 16 * (note.length - 1 - row)}
            textAnchor="middle"
            fontSize="13"
            fontWeight="650"
            style={{ fontStretch: '82%' }}
            fill="var(--color-on-air)"
          >
            {line}
          </text>
        ))}
      {ticks(unit).map(({ psi, major, text }) => (
        <g key={psi}>
          <line
            x1={x + bar - (major ? 14 : 7)}
            x2={x + bar - 1}
            y1={y(psi)}
            y2={y(psi)}
            stroke={fill !== null && psi < fill ? 'var(--color-on-air)' : 'var(--color-ink)'}
            strokeWidth={major ? 1.6 : 1}
          />
          {text && !pins.some((pin) => !narrow && Math.abs(y(pin.psi) - y(psi)) < 17) && (
            <text
              x={x + bar + 7}
              y={y(psi) + 5}
              fontSize={narrow ? 13 : 15}
              className="num"
              fill="var(--color-soft)"
            >
              {text}
            </text>
          )}
        </g>
      ))}
      {spread(bays, y).map(({ bay, at }) => (
        <BayMark key={bay.name + bay.text} {...{ bay, at, x, y, narrow }} />
      ))}
      {spreadPins(pins, y).map(({ pin, at }) => (
        <PinMark key={pin.text} {...{ pin, at, narrow }} x={x + bar} tip={y(pin.psi)} />
      ))}
    </>
  )
}

function BayMark({
  bay,
  at,
  x,
  y,
  narrow,
}: {
  bay: Bay
  at: number
  x: number
  y: (psi: number) => number
  narrow?: boolean
}) {
  const top = y(bay.high ?? TOP_PSI)
  const bottom = y(bay.low ?? 0)
  const reach = narrow ? 6 : 10
  const open =
    bay.high === null
      ? `M${x - 5} ${bottom} h${-reach}`
      : bay.low === null
        ? `M${x - 5} ${top} h${-reach}`
        : null
  return (
    <g>
      <path
        d={open ?? `M${x - 5} ${top} h${-reach} V${bottom} h${reach}`}
        fill="none"
        stroke="var(--color-ink)"
        strokeWidth={bay.now ? 3.5 : 1.6}
      />
      {!narrow && (
        <text
          x={x - 24}
          y={at - 2}
          textAnchor="end"
          fontSize="14"
          fontWeight={bay.now ? 750 : 600}
          fill="var(--color-ink)"
        >
          {bay.name}
          <tspan x={x - 24} dy="16" fontWeight="480" fill="var(--color-soft)" style={{ fontStretch: '84%' }}>
            {bay.text}
          </tspan>
        </text>
      )}
    </g>
  )
}

function PinMark({
  pin,
  at,
  x,
  tip,
  narrow,
}: {
  pin: Pin
  at: number
  x: number
  tip: number
  narrow?: boolean
}) {
  const colour = pin.out ? 'var(--color-clay)' : 'var(--color-ink)'
  if (narrow) return <path d={`M${x + 2} ${tip} l9 -6 v12 z`} fill={colour} />
  const length = pin.text.length * 6.9 + 12
  return (
    <g>
      <path
        d={`M${x + 2} ${tip} L${x + 13} ${at - 10} h${length} v20 h${-length} z`}
        fill={pin.now ? colour : 'var(--color-sheet)'}
        stroke={colour}
        strokeWidth="1.4"
      />
      <text
        x={x + 18}
        y={at + 5}
        fontSize="14"
        fontWeight="680"
        style={{ fontStretch: '84%' }}
        fill={pin.now ? 'var(--color-on-ink)' : colour}
      >
        {pin.text}
      </text>
    </g>
  )
}

/** Scale lines at inspection figures of the reader's unit. */
function ticks(unit: PressureUnit): { psi: number; major: boolean; text: string }[] {
  const [minor, major, named] = { psi: [5, 10, 20], kpa: [50, 100, 200], bar: [0.5, 1, 2] }[unit] as [
    number,
    number,
    number,
  ]
  const last = Math.floor(fromPsi(TOP_PSI, unit) / minor)
  return Array.from({ length: last + 1 }, (_, i) => {
    const value = i * minor
    const isMultiple = (step: number) => Math.abs(value / step - Math.round(value / step)) < 1e-9
    return {
      psi: value / fromPsi(1, unit),
      major: isMultiple(major),
      text: isMultiple(named) ? reading(value / fromPsi(1, unit), unit) : '',
    }
  })
}

/** Label heights for bays, kept apart so that no two names overlap. */
function spread(bays: Bay[], y: (psi: number) => number): { bay: Bay; at: number }[] {
  const placed = bays
    .map((bay) => ({ bay, at: (y(bay.low ?? bay.high ?? 0) + y(bay.high ?? bay.low ?? 0)) / 2 }))
    .sort((a, b) => a.at - b.at)
  placed.forEach((item, i) => {
    const above = placed[i - 1]
    if (above && item.at - above.at < 38) item.at = above.at + 38
  })
  return placed
}

function spreadPins(pins: Pin[], y: (psi: number) => number): { pin: Pin; at: number }[] {
  const placed = pins.map((pin) => ({ pin, at: y(pin.psi) })).sort((a, b) => a.at - b.at)
  placed.forEach((item, i) => {
    const above = placed[i - 1]
    if (above && item.at - above.at < 24) item.at = above.at + 24
  })
  return placed
}
