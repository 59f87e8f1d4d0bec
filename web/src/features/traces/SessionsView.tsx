import { scaleLinear } from 'd3-scale'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { clockFace } from '../../shared/figures/format'
import type { Judged } from './core'

const W = 1240
const H = 96
const MOST_PSI = 150

interface SessionsViewProps {
  judged: Judged
  shown: number
  onShow: (session: number) => void
}

/** A log of days with the tests that were found in it: each is a button, and says what became of it. */
export function SessionsView({ judged, shown, onShow }: SessionsViewProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { sessions, whole } = judged
  const times = whole.flatMap(({ at_s }) => [at_s[0] ?? 0, at_s.at(-1) ?? 0])
  const x = scaleLinear([Math.min(...times), Math.max(...times)], [0, W])
  const y = scaleLinear([0, MOST_PSI], [H, 0])
  const nameOf = (place: number) => {
    const one = sessions[place]
    if (!one) return ''
    const when = one.began_at ? figures.when(one.began_at) : clockFace(one.from_s)
    return `${place + 1}. ${when}`
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-2" data-sessions>
      <svg viewBox={`0 0 ${W} ${H}`} className="w-full bg-sheet max-sm:hidden" aria-hidden>
        {sessions.map(({ from_s, to_s }, place) => (
          <rect
            key={from_s}
            x={x(from_s)}
            y={0}
            width={Math.max(3, x(to_s) - x(from_s))}
            height={H}
            onClick={() => onShow(place + 1)}
            className={place + 1 === shown ? 'fill-air opacity-25' : 'fill-ink opacity-10'}
          />
        ))}
        {whole.map(({ at_s, psi }, n) => (
          <polyline
            key={n}
            points={at_s.map((at, place) => `${x(at).toFixed(1)},${y(psi[place] ?? 0).toFixed(1)}`).join(' ')}
            fill="none"
            strokeWidth="1"
            className="pointer-events-none stroke-ink"
          />
        ))}
      </svg>
      <ul className="flex flex-wrap gap-2">
        {sessions.map(({ from_s, state }, place) => (
          <li key={from_s}>
            <button
              type="button"
              data-session={state}
              aria-pressed={place + 1 === shown}
              onClick={() => onShow(place + 1)}
              className="min-h-touch border-[1.5px] border-line bg-sheet px-3 text-left aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-on-ink"
            >
              <span className="num block">{nameOf(place)}</span>
              <span className="block text-note">{t(`traces.session_${state}`)}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  )
}
