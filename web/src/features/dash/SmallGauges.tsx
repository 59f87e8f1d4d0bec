import { useRef } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Frame, Practice } from '../../device'
import { setIfNew, useEachPicture } from './useSense'

const GAUGES = [
  { name: 'oil', read: (frame: Frame) => frame.oil_psi / 80, low: 10 / 80, high: 1 },
  { name: 'coolant', read: (frame: Frame) => (frame.coolant_f - 60) / 180, low: 0, high: 0.83 },
  { name: 'volts', read: (frame: Frame) => (frame.volts - 9) / 7, low: 0.43, high: 0.93 },
] as const

/** Oil, coolant and volts: a short scale each, what is usual as a bay under it. */
export function SmallGauges({ practice }: { practice: Practice }) {
  const { t } = useTranslation()
  const marks = useRef<(SVGPathElement | null)[]>([])
  useEachPicture(practice, (frame) =>
    GAUGES.forEach(({ read }, n) => {
      const x = 2 + 76 * Math.min(1, Math.max(0, read(frame)))
      setIfNew(marks.current[n], 'transform', `translate(${x.toFixed(1)})`)
    }),
  )
  return (
    <div className="flex gap-4">
      {GAUGES.map(({ name, low, high }, n) => (
        <span key={name} className="flex items-center gap-1.5 text-note">
          {t(`practice.${name}`)}
          <svg viewBox="0 0 80 22" className="h-5 w-20" aria-hidden>
            <path d="M2 16H78" className="stroke-ink" strokeWidth="1.5" />
            <path d={`M${2 + 76 * low} 19.5H${2 + 76 * high}`} className="stroke-ink" strokeWidth="3" />
            <path ref={(mark) => void (marks.current[n] = mark)} d="M0 16L-5 3H5Z" className="fill-air" />
          </svg>
        </span>
      ))}
    </div>
  )
}
