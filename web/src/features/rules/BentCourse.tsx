import { scaleLinear } from 'd3-scale'
import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useSize } from '../../shared/ui'
import { isAction, type Order, type Stage } from './orders'

const LEAST_LEG = 101
const MOST_LEG = 118
const PATH = 112
const TOP_PSI = 135
const y = scaleLinear([0, TOP_PSI], [PATH - 6, 8]).clamp(true)

interface BentCourseProps {
  order: Order
  plan: Schema['OrderOut'] | undefined
  /** The plan is of the order before. */
  stale: boolean
  onMove: (from: number, to: number) => void
  onOptional: (stage: Stage) => void
  onRemove: (place: number) => void
}

/** The order as the path the pressure takes: each leg is taken hold of and moved; what was put in lies between. */
export function BentCourse({ order, plan, stale, onMove, onOptional, onRemove }: BentCourseProps) {
  const { t } = useTranslation()
  const { width, box } = useSize()
  const [dragged, setDragged] = useState<{ place: number; dx: number }>()
  const held = useRef<{ x: number; place: number }>(null)
  const list = useRef<HTMLOListElement>(null)
  const fits = plan !== undefined && plan.problem === ''
  // a course that was just bent is shown at once, each leg as it last was, until it has been reckoned
  const known = new Map(plan?.steps.map((one) => [one.step, one]))
  const legs =
    fits && !stale
      ? plan.steps.map(({ step, place, start_psi: from, end_psi: to, seconds, limit }) => ({
          ...{ step, place, from, to, seconds, limit },
        }))
      : order.steps.map((step, place) => {
          const before = known.get(step)
          return {
            ...{ step, place, from: before?.start_psi ?? 60, to: before?.end_psi ?? 60 },
            ...{ seconds: before?.seconds ?? 0, limit: before?.limit ?? '' },
          }
        })
  const legPx = Math.max(LEAST_LEG, Math.min(MOST_LEG, Math.floor((width - 24) / Math.max(1, legs.length))))
  const focus = (place: number) =>
    requestAnimationFrame(() => list.current?.querySelector<HTMLElement>(`[data-place="${place}"]`)?.focus())
  const onKeyDown = (event: KeyboardEvent, place: number) => {
    const by = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[event.key]
    const stage = order.steps[place]
    if (by !== undefined) {
      const to = place + by
      if (to < 0 || to >= order.steps.length) return
      onMove(place, to)
      focus(to)
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      onRemove(place)
      focus(Math.max(0, place - 1))
    } else if (event.key === 'o' && stage && !isAction(stage)) onOptional(stage as Stage)
    else return
    event.preventDefault()
  }
  const onPointerDown = (event: PointerEvent<HTMLLIElement>, place: number) => {
    if (event.target instanceof HTMLButtonElement) return
    event.currentTarget.setPointerCapture(event.pointerId)
    held.current = { x: event.clientX, place }
  }
  const onPointerMove = (event: PointerEvent) => {
    if (held.current) setDragged({ place: held.current.place, dx: event.clientX - held.current.x })
  }
  const onPointerUp = () => {
    const from = held.current?.place
    held.current = null
    setDragged(undefined)
    if (from === undefined || !dragged) return
    // over how many legs it was taken; what was put in between does not count
    const at = legs.findIndex(({ place }) => place === from)
    const over = legs[Math.max(0, Math.min(legs.length - 1, at + Math.round(dragged.dx / legPx)))]
    if (over?.place != null) onMove(from, over.place)
  }
  return (
    <div ref={box} tabIndex={0} className="overflow-x-auto border-t-2 border-ink bg-sheet">
      <p className="px-4 pt-2 text-note text-soft">{t('rules.bend')}</p>
      <ol ref={list} className="flex px-3" style={{ width: legs.length * legPx + 24 }} data-course>
        {legs.map((leg, n) => {
          const { step, place } = leg
          const own = place !== null
          const optional = !isAction(step) && order.optional.includes(step as Stage)
          const wrong = !stale && plan?.place === place && plan.problem !== ''
          const name = t(`step.${step}`)
          const solid = own && !optional
          return (
            <li
              key={`${n} ${step}`}
              tabIndex={own ? 0 : -1}
              data-place={place ?? undefined}
              aria-label={`${own ? `${place + 1}. ` : ''}${name}${own ? '' : `, ${t('rules.putIn')}`}${optional ? `, ${t('rules.optional')}` : ''}`}
              onKeyDown={(event) => own && onKeyDown(event, place)}
              onPointerDown={(event) => own && onPointerDown(event, place)}
              onPointerMove={onPointerMove}
              onPointerUp={onPointerUp}
              className={`relative shrink-0 touch-none pb-2 ${own ? 'cursor-grab' : ''} ${wrong ? 'bg-clay/15' : ''} ${dragged?.place === place && own ? 'z-10 bg-hair' : ''}`}
              style={{
                width: legPx,
                transform: dragged?.place === place && own ? `translateX(${dragged.dx}px)` : undefined,
              }}
            >
              <svg
                width={legPx}
                height={PATH}
                aria-hidden
                className="block"
                style={{ fontFamily: 'var(--font-sans)' }}
              >
                <path
                  d={`M0 ${y(leg.from)} C${legPx * 0.4} ${y(leg.from)} ${legPx * 0.5} ${y(leg.to)} ${legPx} ${y(leg.to)}`}
                  fill="none"
                  stroke={wrong ? 'var(--color-clay)' : own ? 'var(--color-air)' : 'var(--color-soft)'}
                  strokeWidth={solid ? 5 : 2.5}
                  strokeDasharray={solid ? undefined : '3 5'}
                />
              </svg>
              <div className="px-1.5 text-[13px] leading-[15px]" style={{ fontStretch: '84%' }}>
                <b className={own ? '' : 'font-normal text-soft'}>{name}</b>
                {leg.limit && <div className="num text-body leading-5">{leg.limit}</div>}
                <div className="text-soft">
                  {!own && <span>{t('rules.putIn')} </span>}
                  {leg.seconds > 0 && (
                    <span className="num">
                      {Math.floor(leg.seconds / 60)}:{String(Math.round(leg.seconds % 60)).padStart(2, '0')}
                    </span>
                  )}
                </div>
                {own && (
                  <div className="flex gap-1 pt-1">
                    {!isAction(step) && (
                      <button
                        type="button"
                        aria-pressed={optional}
                        title={t(optional ? 'rules.optional' : 'rules.required')}
                        onClick={() => onOptional(step as Stage)}
                        className={`h-7 grow border-[1.5px] border-ink px-1 ${optional ? 'border-dashed' : 'bg-ink text-on-ink'}`}
                      >
                        <span className="sr-only">{name}: </span>
                        {t(optional ? 'rules.optional' : 'rules.required')}
                      </button>
                    )}
                    <button
                      type="button"
                      aria-label={t('rules.remove', { step: name })}
                      onClick={() => onRemove(place)}
                      className="h-7 min-w-7 border-[1.5px] border-line px-1 text-body leading-none"
                    >
                      ×
                    </button>
                  </div>
                )}
              </div>
            </li>
          )
        })}
      </ol>
    </div>
  )
}
