import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import type { Ask, InspectionFold, InspectionScript } from '../../run'
import { isAnswered } from '../../run'

type FigurePart = Schema['FigurePartOut']

const LENGTH: Record<FigurePart['kind'], number> = {
  straight_truck: 150,
  bus: 170,
  tractor: 104,
  trailer: 180,
  dolly: 44,
}
const HALF = 23
const WHEEL = { length: 15, width: 7 }
const GAP = 6
const AXLE_STEP = 20

interface FigureProps {
  script: InspectionScript
  fold: InspectionFold
  /** Keys of what is not right. */
  bad: Set<string>
  /** What is asked now. */
  now: Ask | undefined
  stop: Schema['StationOut'] | undefined
  onClick?: () => void
}

/** The set from above, its front to the left: where one stands, what is done, what is left. */
export function Figure({ script, fold, bad, now, stop, onClick }: FigureProps) {
  const { t } = useTranslation()
  const placed = place(script.figure)
  const whole = placed.at(-1)
  const width = whole ? whole.x + LENGTH[whole.part.kind] + 14 : 100
  const ends = new Map<string, Ask[]>()
  for (const ask of script.asks) if (ask.end) ends.set(ask.end, [...(ends.get(ask.end) ?? []), ask])
  const you = youStand(placed, stop, now, width)
  return (
    <button
      type="button"
      onClick={onClick}
      aria-label={`${t('inspection.stops')}: ${stop?.name ?? ''}`}
      className="block w-full border-b border-line bg-sheet px-3 py-2"
    >
      <svg aria-hidden viewBox={`-14 -40 ${width + 14} 80`} className="mx-auto block h-[84px] max-w-full">
        {placed.map(({ part, x }) => (
          <g key={part.code} transform={`translate(${x} 0)`}>
            <Body kind={part.kind} />
            {axlesOf(part).map(({ at, number, dual, lift }) =>
              (['left', 'right'] as const).map((side) => {
                const end = `${part.code}.axle${number}.${side}`
                const asks = ends.get(end) ?? []
                const isBad = asks.some(({ key }) => bad.has(key))
                const done = asks.length > 0 && asks.every(({ key }) => isAnswered(fold, key))
                const y = side === 'left' ? HALF : -HALF - WHEEL.width
                return (
                  <g key={end} data-end={end} data-end-state={isBad ? 'bad' : done ? 'done' : 'open'}>
                    {(dual ? [0, 1] : [0]).map((n) => (
                      <rect
                        key={n}
                        x={at - WHEEL.length / 2}
                        y={side === 'left' ? y - n * (WHEEL.width + 1.5) : y + n * (WHEEL.width + 1.5)}
                        width={WHEEL.length}
                        height={WHEEL.width}
                        className={
                          isBad
                            ? 'fill-clay stroke-clay'
                            : done
                              ? 'fill-ink stroke-ink'
                              : now?.end === end
                                ? 'fill-air stroke-air'
                                : 'fill-sheet stroke-ink'
                        }
                        strokeDasharray={lift ? '3 2' : undefined}
                        strokeWidth={1.5}
                      />
                    ))}
                  </g>
                )
              }),
            )}
          </g>
        ))}
        {you && <path d="M-7 0 7 0 0 -11z" transform={you} className="fill-air" data-you />}
      </svg>
    </button>
  )
}

interface Placed {
  part: FigurePart
  x: number
}

function place(parts: FigurePart[]): Placed[] {
  let x = 0
  return parts.map((part) => {
    // a trailer rides on what pulls it
    const placed = { part, x }
    x += LENGTH[part.kind] + GAP - (part.kind === 'tractor' ? 44 : 0)
    return placed
  })
}

/** Where each axle is: what steers at the front, the rest at the rear. */
function axlesOf(part: FigurePart): (FigurePart['axles'][number] & { at: number; number: number })[] {
  const rear = part.axles.filter(({ role }) => role !== 'steer').length
  const steer = part.axles.length - rear
  const length = LENGTH[part.kind]
  return part.axles.map((axle, n) => {
    const at = axle.role === 'steer' ? 22 + n * AXLE_STEP : length - 18 - (rear - 1 - (n - steer)) * AXLE_STEP
    return { ...axle, at, number: n + 1 }
  })
}

function Body({ kind }: { kind: FigurePart['kind'] }) {
  const length = LENGTH[kind]
  const line = { className: 'fill-none stroke-ink', strokeWidth: 2 }
  if (kind === 'tractor') {
    return (
      <g {...line}>
        <path d={`M10 ${-HALF + 4}Q2 ${-HALF + 4} 2 -8V8Q2 ${HALF - 4} 10 ${HALF - 4}H52V${-HALF + 4}Z`} />
        <path d={`M52 -7H${length - 4}V7H52`} />
      </g>
    )
  }
  if (kind === 'dolly') return <path d={`M0 0H14M14 -8H${length - 6}V8H14Z`} {...line} />
  if (kind === 'trailer') return <rect x={0} y={-HALF + 1} width={length} height={2 * HALF - 2} {...line} />
  return (
    <g {...line}>
      <path
        d={`M10 ${-HALF + 1}Q2 ${-HALF + 1} 2 -10V10Q2 ${HALF - 1} 10 ${HALF - 1}H${length}V${-HALF + 1}Z`}
      />
      <path d={kind === 'bus' ? `M14 ${-HALF + 1}V${HALF - 1}` : `M44 ${-HALF + 1}V${HALF - 1}`} />
    </g>
  )
}

/** Beside which part and on which side one stands; inside while nothing says a side. */
function youStand(
  placed: Placed[],
  stop: FigureProps['stop'],
  now: Ask | undefined,
  width: number,
): string | null {
  if (!stop?.side) return placed[0] ? `translate(${placed[0].x + 30} 4)` : null
  if (stop.side === 'front') return 'translate(-8 0) rotate(90)'
  if (stop.side === 'rear') return `translate(${width - 4} 0) rotate(-90)`
  const mine = placed.find(({ part }) => part.code === now?.part) ?? placed[0]
  if (!mine) return null
  const axle = axlesOf(mine.part).find(({ number }) => number === now?.axle)
  const x = mine.x + (axle?.at ?? LENGTH[mine.part.kind] / 2)
  return stop.side === 'left' ? `translate(${x} 39)` : `translate(${x} -39) rotate(180)`
}
