import { scaleLinear, scaleTime } from 'd3-scale'
import { useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { fromPsi, plain, unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { useSize } from '../../shared/ui'

type Trend = Schema['TrendOut']

const HEIGHT = 300
const PLOT = { left: 44, right: 12, top: 14, bottom: 42 }
const DAY_MS = 86_400_000
/** So much further than the last test is drawn where nothing is forecast. */
const AHEAD = 0.06
const HALF_PX = 5

/** The readings with their errors along time, the limit across, and where the line of the tests leads. */
export function TrendChart({ trend }: { trend: Trend }) {
  const { t, i18n } = useTranslation()
  const { unit } = useFigures()
  const { width, box } = useSize()
  const navigate = useNavigate()
  const { readings, slope_per_day: slope, level } = trend
  const inUnit = (value: number) => (trend.unit === 's' ? value : fromPsi(value, unit))
  const times = readings.map(({ at }) => Date.parse(at))
  const [first = 0, last = 0] = [times[0], times.at(-1)]
  const forecast = trend.meets_until ?? trend.meets
  const until = Math.max(
    last + (last - first) * AHEAD,
    forecast ? Date.parse(forecast) + 14 * DAY_MS : 0,
    first + 14 * DAY_MS,
  )
  const lowest = Math.min(...readings.map(({ value, error }) => value - error), trend.low ?? Infinity)
  const highest = Math.max(...readings.map(({ value, error }) => value + error), trend.high ?? -Infinity)
  const span = Math.max(highest - lowest, 1)
  const x = scaleTime([first, until], [PLOT.left, width - PLOT.right])
  const y = scaleLinear(
    [inUnit(Math.max(-0.06 * span, lowest - span * 0.15)), inUnit(highest + span * 0.2)],
    [HEIGHT - PLOT.bottom, PLOT.top],
  )
  const at = (ms: number, value: number) => `${x(ms)} ${y(inUnit(value))}`
  const begins = times[times.length - trend.segment] ?? first
  const line = (ms: number, aDay: number) => (level ?? 0) + (aDay * (ms - last)) / DAY_MS
  const drawn = slope !== null && level !== null
  const banded = drawn && trend.state === 'drifts' && trend.slope_low !== null && trend.slope_high !== null
  const names = new Intl.DateTimeFormat(i18n.language, { month: 'short' })
  return (
    <div ref={box} className="w-full">
      {width > 0 && (
        <svg
          width={width}
          height={HEIGHT}
          role="img"
          aria-label={trend.text}
          className="block"
          style={{ fontFamily: 'var(--font-sans)' }}
        >
          <clipPath id="trend-plot">
            <rect
              x={PLOT.left - HALF_PX}
              y={PLOT.top}
              width={Math.max(0, width - PLOT.left - PLOT.right)}
              height={HEIGHT - PLOT.top - PLOT.bottom}
            />
          </clipPath>
          {y.ticks(5).map((value) => (
            <g key={value}>
              <line
                x1={PLOT.left}
                x2={width - PLOT.right}
                y1={y(value)}
                y2={y(value)}
                stroke="var(--color-hair)"
              />
              <text
                x={PLOT.left - 8}
                y={y(value) + 4}
                textAnchor="end"
                fontSize="13"
                fill="var(--color-soft)"
              >
                {plain(value, 2)}
              </text>
            </g>
          ))}
          <text x={4} y={10} fontSize="13" fill="var(--color-soft)">
            {trend.unit === 's' ? 's' : unitLabel[unit]}
          </text>
          {x
            .ticks(Math.max(2, Math.floor(width / 90)))
            .filter((date) => x(date) < width - PLOT.right - 8)
            .map((date) => (
              <g key={+date}>
                <line
                  x1={x(date)}
                  x2={x(date)}
                  y1={HEIGHT - PLOT.bottom}
                  y2={HEIGHT - PLOT.bottom + 5}
                  stroke="var(--color-ink)"
                />
                <text x={x(date)} y={HEIGHT - 22} textAnchor="middle" fontSize="13" fill="var(--color-soft)">
                  {names.format(date)}
                </text>
                {date.getMonth() === 0 && (
                  <text
                    x={x(date)}
                    y={HEIGHT - 6}
                    textAnchor="middle"
                    fontSize="13"
                    fontWeight="600"
                    fill="var(--color-ink)"
                  >
                    {date.getFullYear()}
                  </text>
                )}
              </g>
            ))}
          <path
            d={`M${PLOT.left} ${HEIGHT - PLOT.bottom}H${width - PLOT.right}`}
            stroke="var(--color-ink)"
            strokeWidth="1.5"
          />
          <g clipPath="url(#trend-plot)">
            {[trend.high, trend.low].map((bound, side) =>
              bound === null ? null : (
                <g key={side}>
                  <rect
                    x={PLOT.left}
                    width={Math.max(0, width - PLOT.left - PLOT.right)}
                    y={side === 0 ? 0 : y(inUnit(bound))}
                    height={side === 0 ? Math.max(0, y(inUnit(bound))) : HEIGHT}
                    fill="var(--color-clay)"
                    opacity="0.1"
                  />
                  <path
                    d={`M${PLOT.left} ${y(inUnit(bound))}H${width}`}
                    stroke="var(--color-ink)"
                    strokeWidth="3"
                  />
                </g>
              ),
            )}
            {trend.repairs.map((repair) => (
              <g key={repair.at} data-repair>
                <title>{`${repair.did}, ${repair.by}`}</title>
                <path
                  d={`M${x(Date.parse(repair.at))} ${PLOT.top}V${HEIGHT - PLOT.bottom}`}
                  stroke="var(--color-ink)"
                  strokeWidth="5"
                />
                <text
                  x={x(Date.parse(repair.at)) + 8}
                  y={PLOT.top + 14}
                  fontSize="13"
                  fontWeight="600"
                  fill="var(--color-ink)"
                >
                  {repair.did}
                </text>
              </g>
            ))}
            {banded && (
              <path
                d={`M${at(last, level)}L${at(until, line(until, trend.slope_high ?? 0))}L${at(until, line(until, trend.slope_low ?? 0))}Z`}
                fill="var(--color-air)"
                opacity="0.14"
              />
            )}
            {drawn && trend.segment > 1 && (
              <path
                d={`M${at(begins, line(begins, slope))}L${at(last, level)}`}
                stroke="var(--color-air)"
                strokeWidth="4"
                fill="none"
              />
            )}
            {banded && (
              <path
                d={`M${at(last, level)}L${at(until, line(until, slope))}`}
                stroke="var(--color-air)"
                strokeWidth="3"
                strokeDasharray="3 6"
                fill="none"
              />
            )}
          </g>
          <g clipPath="url(#trend-plot)">
            {readings.map(({ run_id, at: when, value, error, outcome }, n) => {
              const [cx, cy] = [x(Date.parse(when)), y(inUnit(value))]
              const before = n < readings.length - trend.segment
              const ink =
                outcome === 'fail' ? 'var(--color-clay)' : before ? 'var(--color-soft)' : 'var(--color-ink)'
              return (
                <g
                  key={run_id}
                  onClick={() => void navigate(`/runs/${run_id}`)}
                  className="cursor-pointer"
                  stroke={ink}
                  fill={before ? 'var(--color-paper)' : ink}
                >
                  <title>{`${new Date(when).toLocaleDateString(i18n.language)}: ${plain(inUnit(value), 2)} ${trend.unit === 's' ? 's' : unitLabel[unit]}`}</title>
                  <path d={`M${cx} ${y(inUnit(value - error))}V${y(inUnit(value + error))}`} />
                  {outcome === 'fail' ? (
                    <path
                      d={`M${cx - HALF_PX} ${cy - HALF_PX}h${2 * HALF_PX}l${-2 * HALF_PX} ${2 * HALF_PX}z`}
                    />
                  ) : (
                    <rect
                      x={cx - HALF_PX}
                      y={cy - HALF_PX}
                      width={2 * HALF_PX}
                      height={2 * HALF_PX}
                      strokeWidth="1.5"
                    />
                  )}
                </g>
              )
            })}
          </g>
        </svg>
      )}
      <span className="sr-only">{t('units.trends.count', { count: readings.length })}</span>
    </div>
  )
}
