import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import { useTranslation } from '../i18n/useTranslation'
import { inUnit, tapeStep, toStep, unitLabel, type PressureUnit } from '../figures/format'

const STEP_PX = 19
const TAP_PX = 6
const REACH = 14
const TYPING_MS = 2500
/** Beyond any screen. */
const FAR_PX = 2000

interface Shared {
  name: string
  /** In its unit; null while nobody has touched it. */
  value: number | null
  /** What it showed before: the place to begin from, never a value. */
  ghost: number
  low: number
  high: number
  onChange: (value: number) => void
  onAccept?: () => void
  autoFocus?: boolean
}

/** A needle reading, set on a sliding number tape by thumb, arrow keys or typed digits. */
export function Tape({ unit, ...rest }: Shared & { unit: PressureUnit }) {
  return (
    <NumberTape
      {...rest}
      ghost={toStep(rest.ghost, unit)}
      step={tapeStep[unit]}
      label={unitLabel[unit]}
      text={(value) => inUnit(value, unit)}
    />
  )
}

interface NumberTapeProps extends Shared {
  step: number
  /** The sign of its unit. */
  label: string
  /** A number as it stands on the tape. */
  text: (value: number) => string
  /** Every how many steps a number stands on the tape. */
  every?: number
  /** What the limit leaves: drawn as a bay on the tape, its open side without an end. */
  bay?: { low: number | null; high: number | null }
}

/** A number on a tape that slides under a mark, whatever it measures. */
export function NumberTape(props: NumberTapeProps) {
  const {
    name,
    value,
    ghost,
    low,
    high,
    step,
    label,
    text,
    every = 5,
    bay,
    onChange,
    onAccept,
    autoFocus,
  } = props
  const { t } = useTranslation()
  const centre = value ?? ghost
  const toTape = (number: number) => Math.round(number / step) * step
  const drag = useRef<{ x: number; from: number; moved: boolean } | null>(null)
  const typed = useRef({ text: '', at: 0 })
  const slider = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (autoFocus) slider.current?.focus()
  }, [autoFocus])
  const [typing, setTyping] = useState('')
  const [outside, setOutside] = useState(false)

  const set = (next: number) => {
    const inside = next >= low && next <= high
    setOutside(!inside)
    if (inside) onChange(Number(next.toFixed(4)))
  }
  const by = (steps: number) => set(Math.min(high, Math.max(low, toTape(centre + steps * step))))

  const onPointerDown = (event: PointerEvent<HTMLDivElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId)
    drag.current = { x: event.clientX, from: centre, moved: false }
  }
  const onPointerMove = (event: PointerEvent<HTMLDivElement>) => {
    const held = drag.current
    if (!held) return
    const dx = event.clientX - held.x
    if (!held.moved && Math.abs(dx) < TAP_PX) return
    held.moved = true
    set(Math.min(high, Math.max(low, toTape(held.from - (dx / STEP_PX) * step))))
  }
  const onPointerUp = (event: PointerEvent<HTMLDivElement>) => {
    const held = drag.current
    drag.current = null
    if (!held || held.moved) return
    // a tap sets the number under the thumb
    const box = event.currentTarget.getBoundingClientRect()
    by(Math.round((event.clientX - (box.left + box.width / 2)) / STEP_PX))
  }

  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return
    const jump = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -5, PageUp: 5 }[
      event.key
    ]
    if (jump) by(jump)
    else if (/^[0-9.,]$/.test(event.key)) type(event.key.replace(',', '.'))
    else if (event.key === 'Backspace') type('back')
    else if (event.key === 'Enter') {
      // what is typed next is another number
      typed.current.text = ''
      setTyping('')
      onAccept?.()
    } else return
    event.preventDefault()
  }
  const type = (key: string) => {
    const now = performance.now()
    const before = now - typed.current.at < TYPING_MS ? typed.current.text : ''
    const digits = key === 'back' ? before.slice(0, -1) : before + key
    typed.current = { text: digits, at: now }
    setTyping(digits)
    const number = Number(digits)
    if (digits && Number.isFinite(number)) set(number)
  }

  return (
    <div className="min-w-0">
      <div className="mb-1 flex justify-between gap-2 text-note text-soft">
        <b className="font-semibold text-ink">{name}</b>
        <span>{value === null ? t('test.unset') : label}</span>
      </div>
      <div className="flex h-16 border-[1.5px] border-ink bg-sheet">
        <StepButton label={t('test.lower', { needle: name })} onPress={() => by(-1)} sign="−" />
        <div
          role="slider"
          tabIndex={0}
          ref={slider}
          aria-label={name}
          aria-valuemin={low}
          aria-valuemax={high}
          aria-valuenow={centre}
          aria-valuetext={value === null ? t('test.unset') : `${text(value)} ${label}`}
          data-set={value !== null}
          onKeyDown={onKeyDown}
          onBlur={() => setTyping('')}
          onPointerDown={onPointerDown}
          onPointerMove={onPointerMove}
          onPointerUp={onPointerUp}
          onPointerCancel={() => (drag.current = null)}
          className="relative grow cursor-ew-resize touch-none overflow-hidden border-x-[1.5px] border-ink select-none"
        >
          <Ticks {...{ centre, step, text, every, low, high }} />
          {bay && <BayLine {...{ centre, step, bay }} />}
          <div
            className={`num absolute inset-y-0 left-1/2 grid w-18 -translate-x-1/2 place-items-center text-[2.2rem] ${
              value === null ? 'border-x-2 border-dashed border-ink bg-sheet text-soft' : 'bg-ink text-on-ink'
            }`}
          >
            {value === null ? <span className="opacity-70">{text(centre)}</span> : typing || text(value)}
          </div>
        </div>
        <StepButton label={t('test.higher', { needle: name })} onPress={() => by(1)} sign="+" />
      </div>
      {outside && (
        <p role="alert" className="mt-1 text-note font-semibold text-clay">
          {t('test.outOfRange', { low: text(low), high: `${text(high)} ${label}` })}
        </p>
      )}
    </div>
  )
}

function StepButton({ label, sign, onPress }: { label: string; sign: string; onPress: () => void }) {
  return (
    <button
      type="button"
      tabIndex={-1}
      aria-label={label}
      onClick={onPress}
      className="num w-touch shrink-0 text-[1.7rem] active:bg-ink active:text-on-ink"
    >
      {sign}
    </button>
  )
}

/** The window of a limit along the tape. */
function BayLine({
  centre,
  step,
  bay,
}: {
  centre: number
  step: number
  bay: { low: number | null; high: number | null }
}) {
  const at = (bound: number) => ((bound - centre) / step) * STEP_PX
  const from = bay.low === null ? -FAR_PX : Math.max(-FAR_PX, at(bay.low))
  const to = bay.high === null ? FAR_PX : Math.min(FAR_PX, at(bay.high))
  if (to <= from) return null
  return (
    <i
      aria-hidden
      data-bay
      className={`absolute bottom-0 z-[1] h-[5px] bg-air ${bay.low === null ? '' : 'border-l-[3px] border-ink'} ${bay.high === null ? '' : 'border-r-[3px] border-ink'}`}
      style={{ left: `calc(50% + ${from}px)`, width: to - from }}
    />
  )
}

function Ticks({
  centre,
  step,
  text,
  every,
  low,
  high,
}: Pick<NumberTapeProps, 'step' | 'text' | 'low' | 'high'> & { centre: number; every: number }) {
  const first = Math.round(centre / step)
  return (
    <>
      {Array.from({ length: 2 * REACH + 1 }, (_, i) => first - REACH + i).map((n) => {
        const long = n % every === 0
        // the tape ends where its numbers do
        if (n * step < low - step / 2 || n * step > high + step / 2) return null
        const left = `calc(50% + ${(n - centre / step) * STEP_PX}px)`
        return (
          <span key={n}>
            <i className="absolute bottom-0 w-[1.5px] bg-soft" style={{ left, height: long ? 18 : 9 }} />
            {long && Math.abs(n - centre / step) > 3 && (
              <b className="num absolute top-1.5 -translate-x-1/2 text-soft" style={{ left }}>
                {text(n * step)}
              </b>
            )}
          </span>
        )
      })}
    </>
  )
}
