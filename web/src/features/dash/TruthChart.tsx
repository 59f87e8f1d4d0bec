import { scaleLinear } from 'd3-scale'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { clockFace, fromPsi } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import type { Debriefed } from './Debrief'

export interface TrueMark {
  at_s: number
  kind: string
  which: string
  true_at_s: number | null
  late_s: number | null
  typed_psi: number[] | null
  shown_psi: number[]
  true_psi: number[]
  at_moment_psi: number[] | null
  quality: string
  whose: 'reading' | 'reaction' | 'read_late' | 'dial' | null
}

/** What a mark is called. */
export const nameOf = ({ kind, which }: TrueMark) =>
  (kind === 'warning' || kind === 'popped' ? `${kind}_${which}` : kind) as 'cut_out'

export interface After {
  needles: string[]
  trace: Record<string, number[]>
  moments: { t_s: number; name: string }[]
  marks: TrueMark[]
  pedal: [number, boolean][]
  faults: { id: string; title: string; shows: string }[]
  changed: boolean
  opened: { commitment: string; faults: string[] }
  set_points_psi: Record<string, number>
  outcome: string
  verdict: Record<string, unknown>
  debrief?: Debriefed
}

const W = 1180
const H = 330
const LEFT = 44
const BOTTOM = 40
const MOST_PSI = 150
const STEP_S = 1

interface ChartProps {
  after: After
  chosen: TrueMark | undefined
  /** Where it is read first. */
  from?: number | undefined
}

/** Needles and truth over the whole drive, true moments and marked ones on them; drag along to read both. */
export function TruthChart({ after, chosen, from }: ChartProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const times = after.trace.t_s ?? []
  const end = times.at(-1) ?? 1
  const [at, setAt] = useState<number | undefined>(from)
  const x = scaleLinear([0, Math.max(end, 1)], [LEFT, W - 8])
  const y = scaleLinear([0, MOST_PSI], [H - BOTTOM, 8])
  const cursor = at ?? chosen?.at_s ?? end
  const place = Math.max(
    0,
    times.findLastIndex((time) => time <= cursor),
  )
  const column = (name: string) => after.trace[name] ?? []
  const read = (kind: 'shown' | 'true') =>
    after.needles.map((needle) => figures.reading(column(`${needle}_${kind}`)[place] ?? 0)).join(' · ')
  const toTime = (clientX: number, box: DOMRect) =>
    Math.min(end, Math.max(0, x.invert(((clientX - box.left) / box.width) * W)))
  const tickPsi = y.ticks(7)
  return (
    <figure className="mt-4 overflow-x-auto bg-sheet p-2" tabIndex={0}>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        className="w-full touch-none max-sm:min-w-[44rem]"
        role="slider"
        tabIndex={0}
        aria-label={t('practice.truth.drag')}
        aria-valuemin={0}
        aria-valuemax={Math.round(end)}
        aria-valuenow={Math.round(cursor)}
        aria-valuetext={`${clockFace(cursor)}: ${t('practice.truth.shown')} ${read('shown')}, ${t('practice.truth.tanks')} ${read('true')}`}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId)
          setAt(toTime(event.clientX, event.currentTarget.getBoundingClientRect()))
        }}
        onPointerMove={(event) => {
          if (event.buttons) setAt(toTime(event.clientX, event.currentTarget.getBoundingClientRect()))
        }}
        onKeyDown={(event) => {
          const step = { ArrowRight: STEP_S, ArrowLeft: -STEP_S, PageUp: 15, PageDown: -15 }[event.key]
          if (step === undefined) return
          event.preventDefault()
          setAt(Math.min(end, Math.max(0, cursor + step)))
        }}
      >
        {tickPsi.map((psi) => (
          <g key={psi}>
            <path d={`M${LEFT} ${y(psi)}H${W - 8}`} className="stroke-hair" />
            <text x={LEFT - 6} y={y(psi) + 5} textAnchor="end" fontSize="13" className="num fill-soft">
              {Math.round(fromPsi(psi, figures.unit) * 100) / 100}
            </text>
          </g>
        ))}
        {x.ticks(12).map((time) => (
          <text key={time} x={x(time)} y={H - 4} textAnchor="middle" fontSize="13" className="num fill-soft">
            {clockFace(time)}
          </text>
        ))}
        {pedalBlocks(after.pedal, end).map(([from, to], n) => (
          <rect
            key={n}
            x={x(from)}
            width={Math.max(1, x(to) - x(from))}
            y={H - BOTTOM + 6}
            height="8"
            className="fill-ink"
          />
        ))}
        {after.needles.map((needle, n) => (
          <g key={needle} fill="none" strokeDasharray={n ? '7 3' : undefined}>
            <path d={path(times, column(`${needle}_shown`), x, y)} className="stroke-ink" strokeWidth="1.6" />
            <path d={path(times, column(`${needle}_true`), x, y)} className="stroke-air" strokeWidth="2.2" />
          </g>
        ))}
        {after.marks.map((mark, n) => {
          const psi = Math.min(...(mark.typed_psi ?? mark.shown_psi))
          const bad = mark.quality !== 'good'
          return (
            <g key={n} className={bad ? 'fill-clay stroke-clay' : 'fill-ink stroke-ink'}>
              {mark.true_at_s !== null && mark.at_moment_psi && (
                <path
                  d={`M${x(mark.true_at_s)} ${y(Math.min(...mark.at_moment_psi))}L${x(mark.at_s)} ${y(psi)}`}
                  strokeWidth="2"
                />
              )}
              <circle cx={x(mark.at_s)} cy={y(psi)} r="5" strokeWidth="0" />
              {mark.true_at_s !== null && mark.at_moment_psi && (
                <circle
                  cx={x(mark.true_at_s)}
                  cy={y(Math.min(...mark.at_moment_psi))}
                  r="4"
                  className="fill-sheet stroke-air"
                  strokeWidth="2"
                />
              )}
            </g>
          )
        })}
        <path
          d={`M${x(cursor)} 4V${H - BOTTOM + 14}`}
          className="stroke-ink"
          strokeWidth="1.5"
          strokeDasharray="3 3"
        />
      </svg>
      <figcaption className="flex flex-wrap gap-x-6 px-2 text-note">
        <b className="num text-lead">{clockFace(cursor)}</b>
        <span>
          <span className="mr-1 inline-block h-0.5 w-6 bg-ink align-middle" />
          {t('practice.truth.shown')} <b className="num text-lead">{read('shown')}</b>
        </span>
        <span className="text-air">
          <span className="mr-1 inline-block h-1 w-6 bg-air align-middle" />
          {t('practice.truth.tanks')} <b className="num text-lead">{read('true')}</b>
        </span>
        <span className="text-soft">{t('practice.truth.pedalDown')}</span>
        <span className="text-soft">{t('practice.truth.drag')}</span>
      </figcaption>
    </figure>
  )
}

type Line = (value: number) => number

function path(times: number[], values: number[], x: Line, y: Line): string {
  const points = times.map((time, n) => `${x(time).toFixed(1)} ${y(values[n] ?? 0).toFixed(1)}`)
  return points.length ? `M${points.join('L')}` : ''
}

/** When the pedal was full. */
function pedalBlocks(turns: [number, boolean][], end: number): [number, number][] {
  return turns.flatMap(([at, down], n): [number, number][] => (down ? [[at, turns[n + 1]?.[0] ?? end]] : []))
}
