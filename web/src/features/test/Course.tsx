import { useRef } from 'react'
import { useTranslation } from 'react-i18next'
import { clockFace } from '../../figures/format'
import type { Progress } from '../../live'
import { useSize } from '../../ui'

/** Where the pressure usually stands along the test [psi]; only the shape of the path, never a limit. */
const PATH = [
  { from: 122, to: 122 },
  { from: 122, to: 110 },
  { from: 110, to: 101 },
  { from: 101, to: 100 },
  { from: 100, to: 98 },
  { from: 98, to: 98 },
] as const

const legOf = (progress: Progress): number => {
  switch (progress.phase) {
    case 'prepare':
      return progress.nextNeed === 'knobs_in' ? 1 : 0
    case 'pedal':
      return 2
    case 'settle':
    case 'start':
      return 3
    case 'hold':
      return 4
    default:
      return 5
  }
}

/** The order of work as the path the pressure takes: done solid, coming dotted, the present leg filled. */
export function Course({ progress, holdS }: { progress: Progress; holdS: number }) {
  const { t } = useTranslation()
  const box = useRef<HTMLDivElement>(null)
  const { width } = useSize(box)
  const names = [
    t('test.need.wheels_chocked'),
    t('test.need.knobs_in'),
    t('test.need.pedal_full'),
    t('test.need.settled'),
    clockFace(holdS),
    t('test.verdict'),
  ]
  const now = legOf(progress)
  const leg = (width - 56) / PATH.length
  const y = (psi: number) => 84 - ((psi - 92) / 36) * 66
  return (
    <div ref={box} className="h-28 border-b border-line bg-sheet">
      {width > 0 && (
        <svg
          width={width}
          height="112"
          aria-hidden
          className="block"
          style={{ fontFamily: 'var(--font-sans)' }}
        >
          <rect x={28 + now * leg} y="0" width={leg} height="112" fill="var(--color-ink)" />
          {PATH.map(({ from, to }, i) => {
            const x = 28 + i * leg
            const colour =
              i === now ? 'var(--color-air-stripe)' : i < now ? 'var(--color-air)' : 'var(--color-soft)'
            return (
              <g key={i}>
                <path
                  d={`M${x + 4} ${y(from)} C${x + leg * 0.4} ${y(from)} ${x + leg * 0.45} ${y(to)} ${x + leg - 4} ${y(to)}`}
                  fill="none"
                  stroke={colour}
                  strokeWidth={i > now ? 2 : 5}
                  strokeDasharray={i > now ? '3 5' : undefined}
                />
                <text
                  x={x + 10}
                  y="102"
                  fontSize="14"
                  fontWeight={i === now ? 720 : 560}
                  style={{ fontStretch: '88%' }}
                  fill={
                    i === now ? 'var(--color-on-ink)' : i < now ? 'var(--color-ink)' : 'var(--color-soft)'
                  }
                >
                  {names[i]}
                </text>
              </g>
            )
          })}
        </svg>
      )}
    </div>
  )
}
