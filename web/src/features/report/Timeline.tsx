import { scaleLinear } from 'd3-scale'
import { useId } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { markName } from '../../run'
import { useSize } from '../../shared/ui'

type TimelineEvent = { type: string } & Record<string, unknown>

const PLOT = { left: 40, top: 30, height: 210 }
/** The scale reaches as high as the air column's, or higher. */
const LEAST_CEILING_PSI = 150
const LANE = 22
const FONT = 13
/** Room for a letter of a name, in pixels. */
const WIDEST = 7

/** The run along time: every reading on a pressure scale, what was done between them, and the stages below. */
export function Timeline({
  timeline,
  needles = [],
}: {
  timeline: Schema['TimelineOut']
  /** What a live feed showed meanwhile. */
  needles?: Schema['StretchOut'][]
}) {
  const { t } = useTranslation()
  const figures = useFigures()
  const clip = useId()
  const { width, box } = useSize()
  const { points, deeds, spans } = timeline
  if (points.length === 0) return null
  const times = [...points, ...deeds].map(({ at_s }) => at_s).concat(spans.map(({ to_s }) => to_s))
  const highest = needles.map(({ psi }) => Math.max(...psi))
  const ceilingPsi = Math.max(
    LEAST_CEILING_PSI,
    ...points.map(({ psi, other_psi }) => other_psi ?? psi),
    ...highest,
  )
  const x = scaleLinear([Math.min(...times), Math.max(...times)], [PLOT.left, width - 14])
  const y = scaleLinear([0, ceilingPsi], [PLOT.top + PLOT.height, PLOT.top])
  // each span on a lane of its own, as a descending staircase: names never meet
  const lanes = spans.map((span, lane) => ({ span, lane }))
  const foot = PLOT.top + PLOT.height
  const height = foot + 30 + Math.max(...lanes.map(({ lane }) => lane + 1), 0) * LANE
  const minutes = scaleLinear(
    x.domain().map((s) => s / 60),
    x.range(),
  )
  const told = points.map((point) => ({
    ...point,
    name: t(`test.mark.${markName(point.event as TimelineEvent)}`),
    text: figures.reading(point.psi),
  }))
  return (
    <section className="break-inside-avoid">
      <h2 className="text-lead">{t('report.along')}</h2>
      <p className="mb-1 text-note text-soft">
        {t('report.pressureIn', { unit: unitLabel[figures.unit] })}. {t('report.minutes')}.
        {needles.length > 0 && ` ${t('report.feedLines')}.`}
        {points.some(({ other_psi }) => other_psi !== null) && ` ${t('report.needles')}.`}
      </p>
      <div ref={box} className="w-full">
        <svg
          width={width}
          height={height}
          role="img"
          aria-label={told.map(({ name, text }) => `${name} ${text}`).join(', ')}
          style={{ fontFamily: 'var(--font-sans)', fontSize: FONT }}
        >
          {y.ticks(4).map((psi) => (
            <g key={psi}>
              <line x1={PLOT.left} x2={width} y1={y(psi)} y2={y(psi)} stroke="var(--color-hair)" />
              <text
                x={PLOT.left - 7}
                y={y(psi) + 4}
                textAnchor="end"
                className="num"
                fill="var(--color-soft)"
              >
                {figures.reading(psi)}
              </text>
            </g>
          ))}
          {minutes.ticks(Math.max(2, width / 90)).map((minute) => (
            <text
              key={minute}
              x={minutes(minute)}
              y={foot + 17}
              textAnchor="middle"
              className="num"
              fill="var(--color-soft)"
            >
              {minute}
            </text>
          ))}
          {deeds.map(({ at_s, event }, n) => (
            <path
              key={n}
              d={`M${x(at_s)} ${PLOT.top} v${PLOT.height}`}
              stroke="var(--color-line)"
              strokeDasharray="2 4"
            >
              <title>{t(`test.mark.${markName(event as TimelineEvent)}`)}</title>
            </path>
          ))}
          <clipPath id={clip}>
            <rect x={PLOT.left} y={0} width={Math.max(0, width - PLOT.left)} height={foot} />
          </clipPath>
          {needles.map(({ needle, at_s, psi }) => (
            <path
              key={`${needle} ${at_s[0]}`}
              data-needle={needle}
              d={`M${at_s.map((s, n) => `${x(s)} ${y(psi[n] ?? 0)}`).join(' L')}`}
              clipPath={`url(#${clip})`}
              fill="none"
              stroke={needle === 'primary' ? 'var(--color-air)' : 'var(--color-soft)'}
              strokeWidth={needle === 'primary' ? 2 : 1.2}
              strokeLinejoin="round"
            />
          ))}
          {/* between two readings by eye nobody looked: a dotted line, not a trace */}
          {needles.length === 0 && (
            <path
              d={`M${points.map(({ at_s, psi }) => `${x(at_s)} ${y(psi)}`).join(' L')}`}
              fill="none"
              stroke="var(--color-air)"
              strokeWidth="2.5"
              strokeDasharray="1 5"
              strokeLinecap="round"
            />
          )}
          {told.map(({ at_s, psi, other_psi, name, text }, n) => (
            <g key={n}>
              {other_psi !== null && (
                <circle
                  cx={x(at_s)}
                  cy={y(other_psi)}
                  r="4"
                  fill="none"
                  stroke="var(--color-air)"
                  strokeWidth="1.5"
                />
              )}
              <circle cx={x(at_s)} cy={y(psi)} r="4.5" fill="var(--color-air)">
                <title>{`${name} ${text}`}</title>
              </circle>
            </g>
          ))}
          {spaced(told, x, y).map(({ text, at, up }, n) => (
            <text
              key={n}
              x={at[0]}
              y={at[1] + (up ? -11 : 20)}
              textAnchor="middle"
              className="num"
              fill="var(--color-ink)"
            >
              {text}
            </text>
          ))}
          {lanes.map(({ span, lane }) => (
            <Span
              key={lane}
              span={span}
              from={x(span.from_s)}
              to={x(span.to_s)}
              top={foot + 26 + lane * LANE}
              width={width}
            />
          ))}
        </svg>
      </div>
    </section>
  )
}

interface SpanProps {
  span: Schema['SpanOut']
  from: number
  to: number
  top: number
  width: number
}

/** One attempt at a stage: its bar along time, and its name beside it where there is more room. */
function Span({ span, from, to, top, width }: SpanProps) {
  const { t } = useTranslation()
  const failed = span.outcome === 'fail'
  const beside = Math.max(to, from + 4) + 8
  const name =
    t(`step.${span.stage}`) + (span.outcome === 'pass' ? '' : `, ${t(`outcome.${span.outcome as 'fail'}`)}`)
  const toTheLeft = beside + name.length * WIDEST > width
  const ink = failed ? 'var(--color-clay)' : 'var(--color-ink)'
  return (
    <g>
      <rect
        x={from}
        y={top}
        width={Math.max(4, to - from)}
        height="9"
        fill={span.outcome === 'void' ? 'none' : ink}
        stroke={ink}
      />
      <text x={toTheLeft ? from - 8 : beside} y={top + 9} textAnchor={toTheLeft ? 'end' : 'start'} fill={ink}>
        {name}
      </text>
    </g>
  )
}

interface Placed {
  text: string
  at: [number, number]
  up: boolean
}

/** The numbers that find room beside their points: above, below, or left to the list of marks. */
function spaced(
  told: { at_s: number; psi: number; text: string }[],
  x: (s: number) => number,
  y: (psi: number) => number,
): Placed[] {
  const placed: Placed[] = []
  for (const { at_s, psi, text } of told) {
    const at: [number, number] = [x(at_s), y(psi)]
    const up = [true, false].find((side) =>
      placed.every(
        (other) =>
          Math.abs(other.at[0] - at[0]) > 24 ||
          Math.abs(heightOf(other.at, other.up) - heightOf(at, side)) > FONT,
      ),
    )
    if (up !== undefined) placed.push({ text, at, up })
  }
  return placed
}

const heightOf = (at: [number, number], up: boolean): number => at[1] + (up ? -11 : 20)
