import { useRef } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Described, Practice } from '../../device'
import { setIfNew, useEachPicture, useSense } from './useSense'

const PX_PER_INCH = 4
const FOOT = 12 * PX_PER_INCH
const FEET_DRAWN = 90

/** Outside: one ground line in feet, a post beside the window, and the vehicle that moves over it. */
export function Ground({ practice, described }: { practice: Practice; described: Described }) {
  const { t } = useTranslation()
  const ground = useRef<SVGGElement>(null)
  const body = useRef<SVGGElement>(null)
  const feet = useRef<SVGTSpanElement>(null)
  const wheel = useRef<SVGGElement>(null)
  const rolls = useSense(practice, (frame) => frame.rolls, false)
  const front = useSense(practice, (frame) => frame.chocks.front, 'stowed')
  const back = useSense(practice, (frame) => frame.chocks.back, 'stowed')
  const where = useSense(practice, (frame) => frame.where, 'cab')
  const still = window.matchMedia('(prefers-reduced-motion: reduce)').matches
  useEachPicture(practice, (frame) => {
    setIfNew(ground.current, 'transform', `translate(${(-frame.ground_in * PX_PER_INCH).toFixed(2)})`)
    if (!still) setIfNew(body.current, 'transform', `rotate(${(-frame.pitch_deg * 1.2).toFixed(2)} 560 66)`)
    setIfNew(wheel.current, 'transform', `translate(330 50) rotate(${frame.wheel_deg.toFixed(1)})`)
    const told = t('practice.feet', { feet: Math.round(frame.ground_in / 12) })
    if (feet.current && feet.current.textContent !== told) feet.current.textContent = told
  })
  const grade = Number(described.start.grade_percent ?? 0)
  const slope =
    grade === 0
      ? t('practice.level')
      : t(grade > 0 ? 'practice.up' : 'practice.down', { percent: Math.abs(grade) })
  const chock = (at: string, x: number, way: number) =>
    at === 'stowed' ? null : at === 'under' ? (
      <path d={`M${x} 74 h${14 * way} L${x} 60 Z`} className="fill-ink" />
    ) : (
      <path d={`M${x + way * 60} 74 h${14 * way} l${-14 * way} -14 Z`} className="fill-amber stroke-ink" />
    )
  return (
    <div className="relative h-full overflow-hidden" data-rolls={rolls}>
      <svg viewBox="0 12 860 86" preserveAspectRatio="xMidYMax slice" className="h-full w-full" aria-hidden>
        <g ref={ground}>
          {Array.from({ length: FEET_DRAWN * 2 }, (_, n) => {
            const foot = n - FEET_DRAWN
            const x = 660 + foot * FOOT
            return (
              <g key={n}>
                <path
                  d={`M${x} 74v${foot % 5 ? 6 : 11}`}
                  className="stroke-ink"
                  strokeWidth={foot % 5 ? 1 : 1.8}
                />
                <path d={`M${x + 9} 78h7m9 4h12`} className="stroke-line" strokeWidth="1.5" />
                {foot % 5 === 0 && (
                  <text x={x} y="97" textAnchor="middle" fontSize="13" className="num fill-soft">
                    {foot}
                  </text>
                )}
              </g>
            )
          })}
        </g>
        <path d="M0 74H860" className="stroke-ink" strokeWidth="3" />
        <g ref={wheel} transform="translate(330 50)">
          <circle r="17" fill="none" className="stroke-ink" strokeWidth="4" />
          <path d="M-17 2H17M0 2V17" className="stroke-ink" strokeWidth="3" />
          <path d="M0 -21V-13" className="stroke-air" strokeWidth="5" />
        </g>
        <g ref={body}>
          <g transform="translate(84 11) scale(0.85)">
            <Vehicle kind={described.kind} trailers={described.trailers} />
          </g>
        </g>
        {chock(front, 580, 1)}
        {chock(back, 547, -1)}
        <path d="M660 74V30" className="stroke-clay" strokeWidth="3" />
      </svg>
      <p className="absolute top-1 left-3 text-note max-sm:text-[13px]">
        <b className="max-sm:hidden">{t('practice.outside')} </b>
        <span className="text-soft">{slope}</span>
      </p>
      <p className="absolute top-1 right-3 bg-paper px-1 text-right text-note max-sm:text-[13px]">
        <b>
          {where === 'walking' ? t('practice.walking') : t(rolls ? 'practice.rolling' : 'practice.standing')}
        </b>{' '}
        <span className="num">
          <svg className="inline h-4 w-14" aria-hidden>
            <text y="13" fontSize="14" className="fill-soft">
              <tspan ref={feet} />
            </text>
          </svg>
        </span>
      </p>
    </div>
  )
}

/** The house's own figure of each kind, from the side, its driven wheel at one place. */
function Vehicle({ kind, trailers }: { kind: Described['kind']; trailers: number }) {
  const wheel = (x: number) => (
    <g key={x}>
      <circle cx={x} cy="64" r="10" className="fill-ink" />
      <circle cx={x} cy="64" r="3.4" className="fill-sheet" />
    </g>
  )
  const box = 'fill-sheet stroke-ink'
  if (kind === 'bus') {
    return (
      <>
        <path d="M470 58V16q0-6 8-6h150q10 0 10 10v38Z" className={box} strokeWidth="2" />
        {[486, 516, 546, 576].map((x) => (
          <rect key={x} {...{ x }} y="18" width="24" height="15" className="fill-hair stroke-ink" />
        ))}
        <path d="M610 18h22v24h-22Z" className="fill-hair stroke-ink" />
        {wheel(564)}
        {wheel(612)}
      </>
    )
  }
  const cab = <path d="M598 58V14h20l9 22 14 3v19Z" className={box} strokeWidth="2" />
  if (kind === 'straight_truck') {
    return (
      <>
        <rect x="476" y="6" width="116" height="48" className={box} strokeWidth="2" />
        <path d="M476 56h120" className="stroke-ink" strokeWidth="5" />
        {cab}
        {wheel(564)}
        {wheel(624)}
      </>
    )
  }
  const first = trailers > 1 ? 130 : 210
  return (
    <>
      {trailers > 0 && (
        <>
          <rect x={586 - first} y="6" width={first} height="42" rx="8" className={box} strokeWidth="2" />
          {wheel(600 - first)}
          {wheel(622 - first)}
        </>
      )}
      {trailers > 1 && (
        <>
          <rect
            x={586 - first - 16 - 200}
            y="6"
            width="200"
            height="42"
            rx="8"
            className={box}
            strokeWidth="2"
          />
          {[392 - 200, 414 - 200, 414 - 24].map(wheel)}
          <path d={`M${586 - first - 18} 54h20`} className="stroke-ink" strokeWidth="3" />
        </>
      )}
      <path d="M532 56h66" className="stroke-ink" strokeWidth="5" />
      {cab}
      {wheel(542)}
      {wheel(564)}
      {wheel(624)}
    </>
  )
}
