import { scaleLinear } from 'd3-scale'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { useSize } from '../../shared/ui'
import type { Leg } from './legs'

const HEIGHT = 128
const BASE = 92
const MARGIN = 28
const TOP_PSI = 135

interface CourseProps {
  legs: Leg[]
  /** Where no limit may be read off: the candidate works from memory. */
  hideLimits: boolean
}

/** The order of work as the path the pressure takes: done solid with its values, coming dotted with its limits. */
export function Course({ legs, hideLimits }: CourseProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { width, box } = useSize()
  const leg = (width - 2 * MARGIN) / legs.length
  const y = scaleLinear([0, TOP_PSI], [BASE, 18]).clamp(true)
  return (
    <div ref={box} className="h-32 w-full bg-sheet">
      {width > 0 && (
        <svg
          width={width}
          height={HEIGHT}
          aria-hidden
          className="block"
          style={{ fontFamily: 'var(--font-sans)' }}
        >
          {legs.map(({ step, at, verdict, path }, i) => {
            const x = MARGIN + i * leg
            const now = at === 'now'
            const done = at === 'done'
            const [from, to] = path
            const failed = verdict?.outcome === 'fail'
            const text =
              done && verdict
                ? measuredText(verdict.measured, figures)
                : hideLimits
                  ? ''
                  : (step.limit?.short[figures.unit] ?? '')
            const ink = now
              ? 'var(--color-on-ink)'
              : failed
                ? 'var(--color-clay)'
                : done
                  ? 'var(--color-ink)'
                  : 'var(--color-soft)'
            return (
              <g key={step.step + i}>
                {now && <rect x={x} y="0" width={leg} height={HEIGHT} fill="var(--color-ink)" />}
                <path
                  d={`M${x + 4} ${y(from)} C${x + leg * 0.4} ${y(from)} ${x + leg * 0.45} ${y(to)} ${x + leg - 4} ${y(to)}`}
                  fill="none"
                  stroke={now ? 'var(--color-air-stripe)' : done ? 'var(--color-air)' : 'var(--color-soft)'}
                  strokeWidth={done || now ? 5 : 2}
                  strokeDasharray={done || now ? undefined : '3 5'}
                />
                <text
                  x={x + leg - 8}
                  y={y(to) < 40 ? y(to) + 24 : y(to) - 10}
                  textAnchor="end"
                  fontSize={done ? 19 : 15}
                  fontWeight={done ? 700 : 520}
                  style={{ fontStretch: '78%' }}
                  fill={ink}
                >
                  {text}
                </text>
                <foreignObject x={x + 6} y={BASE + 4} width={leg - 8} height={HEIGHT - BASE - 4}>
                  <div
                    className="text-[13px] leading-[15px]"
                    style={{ color: ink, fontStretch: '84%', fontWeight: now ? 720 : 560 }}
                  >
                    {t(`step.${step.step}`)}
                    {at === 'skipped' && <span className="font-normal">, {t('test.states.skipped')}</span>}
                    {done && verdict && verdict.outcome !== 'pass' && (
                      <span>, {t(`outcome.${verdict.outcome}`)}</span>
                    )}
                  </div>
                </foreignObject>
              </g>
            )
          })}
        </svg>
      )}
    </div>
  )
}

type Figures = ReturnType<typeof useFigures>

/** A stage's main figure, short. */
export function measuredText(measured: Record<string, unknown>, figures: Figures): string {
  const number = (key: string) => (typeof measured[key] === 'number' ? measured[key] : null)
  const drop = number('drop_psi')
  if (drop !== null) return `−${figures.amount(Math.max(0, drop))}`
  const seconds = number('time_s')
  if (seconds !== null) return `${Math.round(seconds)} s`
  const psi = number('psi')
  return psi === null ? '' : figures.reading(psi)
}
