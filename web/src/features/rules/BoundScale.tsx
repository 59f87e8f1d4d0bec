import { scaleLinear } from 'd3-scale'
import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { fromPsi, plain, toPsi, unitLabel, type PressureUnit } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { useSize } from '../../shared/ui'
import type { Schema } from '../../shared/api'
import type { Side } from './drafts'

const HEIGHT = 150
const TAPE = 50
const BASE = 140
const SIDE = 26
const TYPING_MS = 2500

export interface Handle {
  side: Side
  /** In psi, or in s. */
  value: number
  was: number | null
}

interface BoundScaleProps {
  name: string
  /** What the row is measured in. */
  quantity: 'psi' | 's'
  /** A difference, such as a loss, rather than a reading of a gauge. */
  loss: boolean
  scale: [number, number]
  handles: Handle[]
  values: Schema['ValueOut'][]
  onMove: (side: Side, value: number) => void
}

/** So many decimals are shown, by what a bound is in. */
const DECIMALS: Record<PressureUnit | 's', number> = { psi: 2, kpa: 1, bar: 3, s: 1 }
/** So fine can a bound be set, by what it is in. */
const STEPS: Record<PressureUnit | 's', [number, number]> = {
  psi: [1, 0.5],
  kpa: [5, 1],
  bar: [0.05, 0.01],
  s: [1, 1],
}

/** A limit on a fixed tape, with what was measured under it: each bound is a handle, by mouse, keys or typed digits. */
export function BoundScale({ name, quantity, loss, scale, handles, values, onMove }: BoundScaleProps) {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const { width, box } = useSize()
  const shown = (value: number) => (quantity === 's' ? value : fromPsi(value, unit))
  const kept = (value: number) => (quantity === 's' ? value : toPsi(value, unit))
  const label = quantity === 's' ? 's' : unitLabel[unit]
  const step = STEPS[quantity === 's' ? 's' : unit][loss ? 1 : 0]
  const decimals = DECIMALS[quantity === 's' ? 's' : unit]
  const x = scaleLinear([shown(scale[0]), shown(scale[1])], [SIDE, Math.max(SIDE + 1, width - SIDE)]).clamp(
    true,
  )
  const tallest = Math.sqrt(Math.max(1, ...values.map(({ runs }) => runs)))
  const bar = Math.max(2, Math.min(14, Math.abs(x(step) - x(0)) * 0.7))
  return (
    <div ref={box} className="relative w-full select-none" style={{ height: HEIGHT }}>
      {width > 0 && (
        <>
          <svg
            width={width}
            height={HEIGHT}
            aria-hidden
            className="block"
            style={{ fontFamily: 'var(--font-sans)' }}
          >
            <rect
              x="0.75"
              y="0.75"
              width={width - 1.5}
              height={TAPE}
              fill="var(--color-sheet)"
              stroke="var(--color-ink)"
              strokeWidth="1.5"
            />
            {x.ticks(9).map((tick) => (
              <g key={tick}>
                <path d={`M${x(tick)} ${TAPE} v-12`} stroke="var(--color-soft)" strokeWidth="1.5" />
                <text
                  x={x(tick)}
                  y="24"
                  textAnchor="middle"
                  fontSize="16"
                  className="num"
                  fill="var(--color-soft)"
                >
                  {plain(tick, decimals)}
                </text>
              </g>
            ))}
            <path d={`M0 ${BASE} H${width}`} stroke="var(--color-ink)" strokeWidth="1.5" />
            {values.map(({ value, runs, was, now }) => {
              const tall = (Math.sqrt(runs) / tallest) * (BASE - TAPE - 34)
              const turned = was !== now && was !== null && now !== null
              const fill = turned
                ? 'url(#would-turn)'
                : now === false
                  ? 'var(--color-clay)'
                  : 'var(--color-ink)'
              return (
                <rect
                  key={value}
                  x={x(shown(value)) - bar / 2}
                  y={BASE - tall}
                  width={bar}
                  height={tall}
                  fill={fill}
                  stroke={turned ? 'var(--color-clay)' : undefined}
                />
              )
            })}
            <pattern id="would-turn" width="4" height="4" patternUnits="userSpaceOnUse">
              <rect width="4" height="4" fill="var(--color-sheet)" />
              <circle cx="2" cy="2" r="1.2" fill="var(--color-clay)" />
            </pattern>
            {handles.map(({ side, was, value }) => (
              <g key={side}>
                {was !== null && was !== value && (
                  <>
                    <path
                      d={`M${x(shown(was))} ${TAPE} V${BASE + 6}`}
                      stroke="var(--color-ink)"
                      strokeWidth="1.5"
                      strokeDasharray="3 4"
                    />
                    <text
                      x={x(shown(was)) + (was > value ? 5 : -5)}
                      y={TAPE + 18}
                      textAnchor={was > value ? 'start' : 'end'}
                      fontSize="14"
                      fill="var(--color-soft)"
                    >
                      {t('rules.was', { value: plain(shown(was), decimals) })}
                    </text>
                  </>
                )}
                <path
                  d={`M${x(shown(value))} ${TAPE} V${BASE + 6}`}
                  stroke="var(--color-air)"
                  strokeWidth="3.2"
                />
              </g>
            ))}
          </svg>
          {handles.map(({ side, value }) => (
            <Grip
              key={side}
              name={`${name}: ${t(`rules.${side}`)}`}
              value={shown(value)}
              at={x(shown(value))}
              low={shown(scale[0])}
              high={shown(scale[1])}
              {...{ step, label, decimals }}
              toValue={(px) => x.invert(px)}
              onChange={(next) => onMove(side, Number(kept(next).toFixed(4)))}
            />
          ))}
        </>
      )}
    </div>
  )
}

interface GripProps {
  name: string
  value: number
  at: number
  low: number
  high: number
  step: number
  decimals: number
  label: string
  toValue: (px: number) => number
  onChange: (value: number) => void
}

function Grip({ name, value, at, low, high, step, decimals, label, toValue, onChange }: GripProps) {
  const held = useRef<number | null>(null)
  const typed = useRef({ text: '', at: 0 })
  const [typing, setTyping] = useState('')
  const set = (next: number) => {
    const rounded = Number((Math.round(next / step) * step).toFixed(4))
    onChange(Math.min(high, Math.max(low, rounded)))
  }
  const onPointerDown = (event: PointerEvent<HTMLDivElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId)
    held.current = event.clientX - at
  }
  const onPointerMove = (event: PointerEvent) => {
    if (held.current !== null) set(toValue(event.clientX - held.current))
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return
    const jump = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -5, PageUp: 5 }[
      event.key
    ]
    if (jump) set(value + jump * step)
    else if (/^[0-9.,]$/.test(event.key) || event.key === 'Backspace') type(event.key.replace(',', '.'))
    else return
    event.preventDefault()
  }
  const type = (key: string) => {
    const now = performance.now()
    const old = now - typed.current.at < TYPING_MS ? typed.current.text : ''
    const text = key === 'Backspace' ? old.slice(0, -1) : old + key
    typed.current = { text, at: now }
    setTyping(text)
    const number = Number(text)
    // what is typed is taken as it is: an unlikely figure is refused where it is read, with the reason
    if (text && Number.isFinite(number) && number > 0) onChange(number)
  }
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={name}
      aria-valuemin={low}
      aria-valuemax={high}
      aria-valuenow={value}
      aria-valuetext={`${plain(value, decimals)} ${label}`}
      onKeyDown={onKeyDown}
      onBlur={() => setTyping('')}
      onPointerDown={onPointerDown}
      onPointerMove={onPointerMove}
      onPointerUp={() => (held.current = null)}
      onPointerCancel={() => (held.current = null)}
      className="num absolute top-0 grid h-[51px] min-w-14 -translate-x-1/2 cursor-ew-resize touch-none place-items-center bg-ink px-2 text-[1.7rem] text-on-ink"
      style={{ left: at }}
    >
      {typing || plain(value, decimals)}
    </div>
  )
}
