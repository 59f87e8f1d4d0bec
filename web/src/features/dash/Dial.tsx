import { useRef } from 'react'
import type { Frame, Practice } from '../../device'
import { setIfNew, useEachPicture } from './useSense'

/** Where the scale begins and ends, in degrees clockwise from the right: a column, bent. */
const FROM = 127
const SPAN = 106
const rad = (degrees: number) => (degrees * Math.PI) / 180

interface Scale {
  /** The greatest value, and every how much a mark, a longer one, and a number. */
  most: number
  mark: number
  half: number
  number: number
}

interface DialProps {
  practice: Practice
  scale: Scale
  name: string
  unit: string
  /** The needles, the first one filled and the second open at its end. */
  needles: ((frame: Frame) => number)[]
  /** What a screen reader is told of a value. */
  spoken: (values: number[]) => string
  /** Half of what a person reads a needle to: said no finer than it can be seen. */
  step: number
  radius: number
  big?: boolean
  /** The names stand in a legend beside it. */
  legend?: boolean
}

const ANNOUNCE_MS = 1000

/** A needle in front of a bent scale: the vehicle's own instrument, without a digit or a mark of ours. */
export function Dial({
  practice,
  scale,
  name,
  unit,
  needles,
  spoken,
  step,
  radius,
  big = false,
  legend = false,
}: DialProps) {
  const hands = useRef<(SVGGElement | null)[]>([])
  const meter = useRef<SVGSVGElement>(null)
  const told = useRef(0)
  const angle = (value: number) => FROM + (SPAN * Math.min(Math.max(value, 0), scale.most)) / scale.most
  useEachPicture(practice, (frame) => {
    needles.forEach((read, n) => {
      setIfNew(hands.current[n], 'transform', `rotate(${angle(read(frame)).toFixed(2)})`)
    })
    const now = performance.now()
    if (now - told.current < ANNOUNCE_MS) return
    told.current = now
    const values = needles.map((read) => Math.round(read(frame) / step) * step)
    setIfNew(meter.current, 'aria-valuenow', String(values[0] ?? 0))
    setIfNew(meter.current, 'aria-valuetext', spoken(values))
  })
  const inner = radius * (big ? 0.86 : 0.8)
  const at = (value: number, r: number): [number, number] => [
    r * Math.cos(rad(angle(value))),
    r * Math.sin(rad(angle(value))),
  ]
  const band = [...arc(radius, FROM, FROM + SPAN), ...arc(inner, FROM + SPAN, FROM)]
  const marks = Array.from({ length: Math.round(scale.most / scale.mark) + 1 }, (_, n) => n * scale.mark)
  const text = big ? 17 : 13
  const left = -radius - text * 2.4
  const top = -radius * 0.8 - text * 1.6
  const tail = big ? radius * 0.13 : radius * 0.16
  const width = radius * (1 + 0.18) + text * 2.4
  const height = -top * 2
  return (
    <svg
      ref={meter}
      role="meter"
      tabIndex={0}
      aria-label={name}
      aria-valuemin={0}
      aria-valuemax={scale.most}
      aria-valuenow={0}
      viewBox={`${left} ${top} ${width} ${height}`}
      className="h-full max-h-full w-full max-w-full"
      data-dial={name}
    >
      <path
        d={`M${band.map((point) => point.join(' ')).join(' L')} Z`}
        className="fill-sheet stroke-ink"
        strokeWidth="2"
      />
      {marks.map((value) => {
        const isNumber = Math.abs(value / scale.number - Math.round(value / scale.number)) < 1e-6
        const isHalf = Math.abs(value / scale.half - Math.round(value / scale.half)) < 1e-6
        const [x1, y1] = at(value, radius)
        const depth = isNumber ? 0.86 : isHalf ? 0.7 : 0.42
        const [x2, y2] = at(value, radius - (radius - inner) * depth)
        return (
          <line
            key={value}
            {...{ x1, y1, x2, y2 }}
            className="stroke-ink"
            strokeWidth={isHalf || isNumber ? 2.2 : 1}
          />
        )
      })}
      {marks
        .filter((value) => Math.abs(value / scale.number - Math.round(value / scale.number)) < 1e-6)
        .map((value) => {
          const [x, y] = at(value, radius + text * 1.05)
          return (
            <text
              key={value}
              {...{ x, y }}
              dy={text * 0.35}
              textAnchor="middle"
              fontSize={text}
              className="num fill-ink"
              style={{ fontWeight: 620 }}
            >
              {value}
            </text>
          )
        })}
      {!legend && big && (
        <>
          <text
            x={radius * 0.14}
            y={radius * 0.5}
            textAnchor="end"
            fontSize={text + 1}
            className="fill-ink font-bold"
          >
            {name}
          </text>
          <text
            x={radius * 0.14}
            y={radius * 0.5 + text * 1.2}
            textAnchor="end"
            fontSize={text - 1}
            className="fill-soft"
          >
            {unit}
          </text>
        </>
      )}
      {!legend && !big && (
        <text
          x={radius * 0.18}
          y={radius * 1.02}
          textAnchor="end"
          fontSize={text}
          className="fill-ink font-bold"
        >
          {name}{' '}
          <tspan fontWeight="400" className="fill-soft">
            {unit}
          </tspan>
        </text>
      )}
      {needles.map((_, n) => (
        <g key={n} ref={(hand) => void (hands.current[n] = hand)} transform={`rotate(${FROM})`}>
          <path
            d={`M${-tail} ${n ? -2 : -3.5} L${inner + (radius - inner) * 0.35} ${n ? -0.8 : -1.3} V${n ? 0.8 : 1.3} L${-tail} ${n ? 2 : 3.5} Z`}
            className={n ? 'fill-ink' : 'fill-air'}
          />
          {n > 0 && <circle cx={-tail - 4} r="4.5" className="fill-sheet stroke-ink" strokeWidth="2" />}
        </g>
      ))}
      <circle r={big ? 9 : 5} className="fill-ink" />
      <circle r={big ? 2.7 : 1.5} className="fill-sheet" />
    </svg>
  )
}

function arc(r: number, from: number, to: number): [number, number][] {
  const steps = 40
  return Array.from({ length: steps + 1 }, (_, n) => {
    const a = rad(from + ((to - from) * n) / steps)
    return [Number((r * Math.cos(a)).toFixed(2)), Number((r * Math.sin(a)).toFixed(2))]
  })
}

/** The air dials' scale in each unit: a mark every two psi, so that one is read between marks. */
export const AIR_SCALE: Record<'psi' | 'kpa' | 'bar', Scale> = {
  psi: { most: 150, mark: 2, half: 10, number: 20 },
  kpa: { most: 1000, mark: 20, half: 100, number: 200 },
  bar: { most: 10, mark: 0.2, half: 1, number: 2 },
}
export const REVS_SCALE: Scale = { most: 30, mark: 1, half: 5, number: 10 }
export const SPEED_SCALE: Scale = { most: 30, mark: 1, half: 5, number: 10 }
