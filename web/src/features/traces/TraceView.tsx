import { scaleLinear } from 'd3-scale'
import { useState, type KeyboardEvent, type PointerEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { clockFace, fromPsi } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import type { Judged } from './core'

const W = 1240
const H = 380
const LEFT = 44
const BOTTOM = 26
const TOP = 48
const LABEL_ROWS = 3
const LABEL_PX = 14
const MOST_PSI = 150
const STEP_S = 0.5
const FAR_S = 5
const GRIP = 24

type End = 'from_s' | 'to_s'

interface ViewProps {
  judged: Judged
  chosen: number
  onChoose: (place: number) => void
  onMove: (place: number, from_s: number, to_s: number) => void
}

/** The trace with its stages as bands; the chosen one has a handle at each end, for the mouse and for keys. */
export function TraceView({ judged, chosen, onChoose, onMove }: ViewProps) {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const [drag, setDrag] = useState<{ end: End; at: number }>()
  const x = scaleLinear([judged.from_s, judged.to_s], [LEFT, W - 8])
  const y = scaleLinear([0, MOST_PSI], [H - BOTTOM, TOP])
  // the same axis in the reader's unit, so that its lines stand at inspection numbers of it
  const shown = scaleLinear([0, fromPsi(MOST_PSI, unit)], [H - BOTTOM, TOP])
  const stage = judged.stages[chosen]
  const shownAt = (end: End) => (drag?.end === end ? drag.at : (stage?.[end] ?? judged.from_s))
  // outside its stage, so that the two of a short one do not cover each other
  const gripAt = (end: End) => x(shownAt(end)) - (end === 'from_s' ? GRIP : 0)
  const timeAt = (event: PointerEvent<SVGGElement>) => {
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect()
    if (!box) return judged.from_s
    const at = x.invert(((event.clientX - box.left) / box.width) * W)
    return Math.round(Math.min(judged.to_s, Math.max(judged.from_s, at)) * 10) / 10
  }
  const put = (end: End, at: number) => {
    const [from, to] = end === 'from_s' ? [at, shownAt('to_s')] : [shownAt('from_s'), at]
    if (from < to) onMove(chosen, from, to)
  }
  const byKey = (end: End) => (event: KeyboardEvent) => {
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
    if (!way) return
    event.preventDefault()
    put(end, Math.round((shownAt(end) + way * (event.shiftKey ? FAR_S : STEP_S)) * 10) / 10)
  }
  const [first] = judged.needles
  return (
    <figure className="overflow-x-auto bg-sheet p-2" tabIndex={0}>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        className="w-full touch-none max-sm:min-w-[52rem]"
        role="group"
        aria-label={t('traces.trace')}
      >
        {shown.ticks(7).map((value) => (
          <g key={value}>
            <path d={`M${LEFT} ${shown(value)}H${W - 8}`} className="stroke-hair" />
            <text x={LEFT - 6} y={shown(value) + 4} textAnchor="end" fontSize="13" className="num fill-soft">
              {value}
            </text>
          </g>
        ))}
        {x.ticks(8).map((at) => (
          <text key={at} x={x(at)} y={H - 8} textAnchor="middle" fontSize="13" className="num fill-soft">
            {clockFace(at - judged.from_s)}
          </text>
        ))}
        {judged.stages.map((one, place) => {
          if (one.from_s === null || one.to_s === null) return null
          const [from, to] = place === chosen ? [shownAt('from_s'), shownAt('to_s')] : [one.from_s, one.to_s]
          return (
            <g key={place} data-band={one.stage}>
              <rect
                x={x(from)}
                y={TOP}
                width={Math.max(2, x(to) - x(from))}
                height={H - BOTTOM - TOP}
                onClick={() => onChoose(place)}
                className={
                  place === chosen ? 'fill-air opacity-20' : 'fill-ink opacity-[0.07] hover:opacity-15'
                }
              />
              <text
                x={x(from) + 3}
                y={TOP - 4 - (place % LABEL_ROWS) * LABEL_PX}
                fontSize="13"
                className="fill-ink"
              >
                {t(`step.${one.stage}`)}
              </text>
            </g>
          )
        })}
        {judged.needles.map(({ needle, at_s, psi }, n) => (
          <polyline
            key={n}
            data-needle={needle}
            points={at_s.map((at, place) => `${x(at).toFixed(1)},${y(psi[place] ?? 0).toFixed(1)}`).join(' ')}
            fill="none"
            strokeWidth={needle === first?.needle ? 1.8 : 1.2}
            strokeDasharray={needle === first?.needle ? undefined : '5 3'}
            className={`pointer-events-none ${needle === first?.needle ? 'stroke-air' : 'stroke-ink'}`}
          />
        ))}
        {judged.marks
          .filter(({ at_s }) => at_s >= judged.from_s && at_s <= judged.to_s)
          .map(({ at_s, late_s, quality }, n) => (
            <g key={n} data-mark={quality} className="pointer-events-none">
              {late_s !== null && (
                <path
                  d={`M${x(at_s - late_s)} ${H - BOTTOM - 6}H${x(at_s)}`}
                  className={quality === 'good' ? 'stroke-ink' : 'stroke-clay'}
                  strokeWidth="3"
                />
              )}
              <path
                d={`M${x(at_s)} ${H - BOTTOM}v-12l4 -6h-8l4 6`}
                className={quality === 'good' ? 'fill-ink stroke-ink' : 'fill-clay stroke-clay'}
                strokeWidth="1.5"
              />
            </g>
          ))}
        {stage?.from_s !== null &&
          stage !== undefined &&
          (['from_s', 'to_s'] as const).map((end) => (
            <g
              key={end}
              role="slider"
              tabIndex={0}
              data-handle={end}
              aria-label={t(`traces.${end}`, { stage: t(`step.${stage.stage}`) })}
              aria-valuemin={judged.from_s}
              aria-valuemax={judged.to_s}
              aria-valuenow={shownAt(end)}
              aria-valuetext={clockFace(shownAt(end) - judged.from_s)}
              onKeyDown={byKey(end)}
              onPointerDown={(event) => {
                event.currentTarget.setPointerCapture(event.pointerId)
                setDrag({ end, at: shownAt(end) })
              }}
              onPointerMove={(event) => drag?.end === end && setDrag({ end, at: timeAt(event) })}
              onPointerUp={() => {
                if (drag) put(end, drag.at)
                setDrag(undefined)
              }}
              className="cursor-ew-resize focus:outline-none [&:focus-visible>rect]:fill-air"
            >
              <path d={`M${x(shownAt(end))} ${TOP}V${H - BOTTOM}`} className="stroke-ink" strokeWidth="2" />
              <rect x={gripAt(end)} y={H / 2 - 24} width={GRIP} height="48" className="fill-ink" />
              <path
                d={`M${gripAt(end) + 8} ${H / 2 - 12}v24M${gripAt(end) + 16} ${H / 2 - 12}v24`}
                className="pointer-events-none stroke-on-ink"
                strokeWidth="2"
              />
            </g>
          ))}
      </svg>
    </figure>
  )
}
