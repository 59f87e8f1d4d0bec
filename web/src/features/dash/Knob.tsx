import { useEffect, useRef, useState, type PointerEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Practice } from '../../device'
import { useSense } from './useSense'

/** So long it is pressed before it catches: a tap is not firm enough. */
const PUSH_MS = 200
/** So far it is drawn before it comes: a finger that rests on it does nothing. */
const PULL_PX = 24

const SHAPES = {
  parking: {
    points: '0,-46 46,0 0,46 -46,0',
    seat: '0,-54 54,0 0,54 -54,0',
    fill: 'var(--knob-parking)',
    ink: '#14191a',
  },
  trailer: {
    points: '-18,-43 18,-43 43,-18 43,18 18,43 -18,43 -43,18 -43,-18',
    seat: '-21,-50 21,-50 50,-21 50,21 21,50 -21,50 -50,21 -50,-21',
    fill: 'var(--knob-trailer)',
    ink: '#ffffff',
  },
}

interface KnobProps {
  practice: Practice
  which: 'parking' | 'trailer'
  hint?: string
}

/** A knob on its seat: flush when it is in, drawn out when it is out. It resists, pops, and may be rested on. */
export function Knob({ practice, which, hint }: KnobProps) {
  const { t } = useTranslation()
  const isIn = useSense(practice, (frame) => frame[which], false)
  const [pressing, setPressing] = useState(false)
  const pressed = useRef<{ x: number; y: number; timer: ReturnType<typeof setTimeout> } | null>(null)
  const resting = useRef(false)
  useEffect(() => {
    // a finger that rests on it feels it come out
    if (!isIn && resting.current && 'vibrate' in navigator) navigator.vibrate(60)
  }, [isIn])
  const end = () => {
    clearTimeout(pressed.current?.timer)
    pressed.current = null
    resting.current = false
    setPressing(false)
  }
  const down = (event: PointerEvent) => {
    event.currentTarget.setPointerCapture(event.pointerId)
    resting.current = true
    setPressing(true)
    const timer = setTimeout(() => {
      if (!practice.frame?.[which]) practice.control(which, 'in')
    }, PUSH_MS)
    pressed.current = { x: event.clientX, y: event.clientY, timer }
  }
  const move = (event: PointerEvent) => {
    const from = pressed.current
    if (!from) return
    if (Math.hypot(event.clientX - from.x, event.clientY - from.y) < PULL_PX) return
    end()
    practice.control(which, 'out')
  }
  const { points, seat, fill, ink } = SHAPES[which]
  return (
    <button
      type="button"
      role="switch"
      aria-checked={isIn}
      aria-label={t(`practice.knobName.${which}`)}
      title={t(isIn ? 'practice.pull' : 'practice.push')}
      data-knob={which}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={end}
      onPointerCancel={end}
      onContextMenu={(event) => event.preventDefault()}
      onKeyDown={(event) => {
        if (event.key === 'Enter' && !event.repeat) practice.control(which, isIn ? 'out' : 'in')
      }}
      className="flex min-w-touch touch-none flex-col items-center select-none"
    >
      <svg viewBox="-58 -66 116 124" className="w-full max-w-32" aria-hidden>
        <polygon points={seat} className="fill-paper stroke-ink" strokeWidth="1.8" />
        {!isIn && <polygon points={points} className="fill-ink stroke-ink" strokeWidth="2" />}
        <g
          style={{
            transform: `translateY(${isIn ? (pressing ? 2 : 0) : -12}px)`,
            transition: 'transform 60ms linear',
          }}
        >
          <polygon {...{ points, fill }} className="stroke-ink" strokeWidth="2.4" />
          <text
            y="5"
            textAnchor="middle"
            fontSize="13.5"
            fontWeight="740"
            fill={ink}
            style={{ fontStretch: '72%' }}
          >
            {t(`practice.knob.${which}`)}
          </text>
        </g>
      </svg>
      <span className="text-lead font-bold" data-state={isIn ? 'in' : 'out'}>
        {t(isIn ? 'practice.in' : 'practice.out')}
        <span className="ml-1 text-note font-normal text-soft">
          {t(isIn ? 'practice.released' : 'practice.set')}
        </span>
        {hint && (
          <kbd className="ml-2 border-[1.5px] border-soft px-1 font-sans text-[13px] max-lg:hidden">
            {hint}
          </kbd>
        )}
      </span>
    </button>
  )
}
