import { useEffect, useRef, useState, type PointerEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Practice } from '../../device'
import { setIfNew, useEachPicture, useSense } from './useSense'

/** A pointer that is *cancelled* by a system gesture keeps the foot where it is for so long; a real lift acts at once. */
const CANCELLED_MS = 250
const STROKES_S = 12
/** How often the strokes are drawn on: a stroke takes a second. */
const STROKE_EVERY_S = 0.1

/** The brake pedal: held by thumb, mouse or latch. Its own gauge is of travel and effort, never of pressure. */
export function Pedal({ practice, slim = false }: { practice: Practice; slim?: boolean }) {
  const { t } = useTranslation()
  const fill = useRef<HTMLSpanElement>(null)
  const strokes = useRef<SVGPathElement>(null)
  const history = useRef<{ at: number; depth: number }[]>([])
  const held = useRef<{ y: number; height: number } | null>(null)
  const letGo = useRef<ReturnType<typeof setTimeout>>(undefined)
  const [latched, setLatched] = useState(false)
  const full = useSense(practice, (frame) => frame.pedal >= (practice.described?.full_pedal ?? 1), false)
  useEffect(() => () => clearTimeout(letGo.current), [])

  const press = (depth: number) => {
    clearTimeout(letGo.current)
    practice.control('pedal', Number(depth.toFixed(2)))
  }
  const down = (event: PointerEvent<HTMLButtonElement>) => {
    if (event.button !== 0) return
    event.currentTarget.setPointerCapture(event.pointerId)
    held.current = { y: event.clientY, height: event.currentTarget.clientHeight }
    press(1)
  }
  const move = (event: PointerEvent) => {
    const from = held.current
    if (!from) return
    // the thumb slides up to ease
    press(Math.min(1, Math.max(0, 1 - Math.max(0, from.y - event.clientY) / from.height)))
  }
  const up = () => {
    if (!held.current) return
    held.current = null
    press(0)
  }
  const cancelled = () => {
    if (!held.current) return
    held.current = null
    letGo.current = setTimeout(() => press(0), CANCELLED_MS)
  }

  useEachPicture(practice, (frame) => {
    setIfNew(fill.current, 'style', `height: ${frame.pedal * 100}%`)
    const past = history.current
    if (frame.t_s - (past.at(-1)?.at ?? -1) < STROKE_EVERY_S) return
    past.push({ at: frame.t_s, depth: frame.pedal })
    while (past[0] && past[0].at < frame.t_s - STROKES_S) past.shift()
    const x = (at: number) => (100 * (at - frame.t_s + STROKES_S)) / STROKES_S
    const path = past.map(({ at, depth }) => `L${x(at).toFixed(1)} ${(28 - 26 * depth).toFixed(1)}`).join('')
    strokes.current?.setAttribute('d', path ? `M${path.slice(1)}` : '')
  })

  return (
    <div className={`flex min-h-0 flex-col ${slim ? 'h-full' : 'h-full gap-1'}`}>
      <button
        type="button"
        aria-pressed={full}
        data-pedal
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={cancelled}
        onContextMenu={(event) => event.preventDefault()}
        onWheel={(event) =>
          press(Math.min(1, Math.max(0, (practice.frame?.pedal ?? 0) + event.deltaY / 600)))
        }
        className="relative min-h-24 w-full grow touch-none overflow-hidden border-2 border-ink bg-sheet text-left select-none"
      >
        <span ref={fill} aria-hidden className="absolute inset-x-0 top-0 bg-ink" style={{ height: 0 }} />
        <span
          aria-hidden
          className="absolute inset-x-3 inset-y-3 mix-blend-difference"
          style={{ background: 'repeating-linear-gradient(0deg, #9a9a9a 0 1.5px, transparent 1.5px 10px)' }}
        />
        <span className="absolute bottom-1 left-1.5 bg-sheet px-1.5 text-ink">
          <b>{t('practice.pedal')}</b> {full && t('practice.pedalFull')}
          {!slim && <span className="ml-1 text-note text-soft">{t('practice.pedalHint')}</span>}
        </span>
      </button>
      <div className="flex items-stretch gap-1">
        <button
          type="button"
          aria-pressed={latched}
          onClick={() => {
            setLatched(!latched)
            press(latched ? 0 : 1)
          }}
          className={`min-h-touch grow border-[1.5px] border-ink px-2 text-note font-semibold ${latched ? 'bg-ink text-on-ink' : 'bg-sheet'}`}
        >
          {t(latched ? 'practice.latched' : 'practice.latch')}
        </button>
        {!slim && (
          <svg
            viewBox="0 0 100 30"
            preserveAspectRatio="none"
            className="h-touch w-28"
            role="img"
            aria-label={t('practice.strokes')}
          >
            <path d="M0 28.5H100" className="stroke-line" vectorEffect="non-scaling-stroke" />
            <path
              ref={strokes}
              fill="none"
              className="stroke-ink"
              strokeWidth="2"
              vectorEffect="non-scaling-stroke"
            />
          </svg>
        )}
      </div>
    </div>
  )
}
