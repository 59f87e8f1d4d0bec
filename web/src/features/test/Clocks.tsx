import { useTranslation } from '../../shared/i18n/useTranslation'
import { parseNumber } from '../../shared/figures/numbers'
import { useState, type ReactNode } from 'react'
import { clockFace, toPsi, unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { now, secondsSince, type ClockReading, type Body } from '../../device'
import { useSound, type Mark, type Script, type TestState } from '../../run'
import { enteredText, lowestPsi } from './useReadings'
import { useTicking } from './useTimer'

const LAST_S = 10
const MEANWHILE = ['abs_lamps_out', 'window_down', 'level_ground'] as const

interface FaceProps {
  face: string
  label: string
  children: ReactNode
  bar?: ReactNode
}

/** A clock: its figures large, what they mean beside them, a bar below. */
function Face({ face, label, children, bar }: FaceProps) {
  return (
    <div className="md:my-auto" role="timer" aria-label={label}>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <div className="num text-[5.6rem] leading-[0.8] tracking-tight group-has-[[data-beside]]/fill:text-[3.4rem]! md:text-clock">
          {face}
        </div>
        <div className="min-w-0 text-soft">{children}</div>
      </div>
      {bar}
    </div>
  )
}

function Meaning({ children }: { children: ReactNode }) {
  return <b className="block text-figure leading-tight text-ink">{children}</b>
}

/** The countdown of a hold, with one block a second: the last ten are amber. Hidden where an own watch keeps the time. */
export function HoldClock({ start, holdS, ownWatch }: { start: Mark; holdS: number; ownWatch: boolean }) {
  const { t } = useTranslation()
  const sound = useSound()
  useTicking()
  if (ownWatch) {
    return (
      <div className="md:my-auto" role="timer" aria-label={t('test.ownWatch')}>
        <p className="text-title">{t('test.ownWatch')}</p>
      </div>
    )
  }
  const leftS = holdS - secondsSince(start)
  const gone = Math.floor(Math.min(holdS, Math.max(0, holdS - leftS)))
  const values = enteredText(start)
  return (
    <Face
      face={clockFace(leftS)}
      label={t('test.left', { hold: holdS })}
      bar={
        <div aria-hidden className="mt-4 flex h-3.5 gap-[1.5px]">
          {Array.from({ length: holdS }, (_, second) => (
            <i
              key={second}
              className={`grow ${second < gone ? 'bg-hair' : second >= holdS - LAST_S ? 'bg-amber' : 'bg-ink'}`}
            />
          ))}
        </div>
      }
    >
      <Meaning>{t('test.left', { hold: holdS })}</Meaning>
      {values ? t('test.startedAt', { values }) : t('test.startUnset')}
      <span className="block max-md:hidden">{t(sound === 'on' ? 'test.tones' : 'test.silent')}</span>
    </Face>
  )
}

/** The wait since the last move of pedal or knobs: advised, never required. */
export function WaitClock({ since, advisedS }: { since: ClockReading | null; advisedS: number }) {
  const { t } = useTranslation()
  useTicking()
  const waitS = since ? secondsSince(since) : 0
  return (
    <Face face={clockFace(Math.floor(waitS))} label={t('test.wait')} bar={<Share share={waitS / advisedS} />}>
      <Meaning>{t('test.wait')}</Meaning>
      {waitS >= advisedS ? t('test.waitLong') : t('test.waitAdvice', { advised: advisedS })}
    </Face>
  )
}

function Share({ share }: { share: number }) {
  return (
    <div aria-hidden className="mt-4 h-3.5 bg-hair">
      <div className="h-full bg-ink" style={{ width: `${Math.min(1, Math.max(0, share)) * 100}%` }} />
    </div>
  )
}

interface FillProps {
  script: Script
  state: TestState
  compact: boolean
  /** Where a live feed has the lower needle now. */
  livePsi: number | null
  onConfirm: (bodies: Body[]) => void
  /** What is looked at meanwhile, told how long the air has built [s] and how long it still should. */
  beside?: (sinceS: number, toBlastS: number | null) => ReactNode
}

/** How long the air will still build, from where the needles stood, and what is worth doing meanwhile. */
export function FillClock({ script, state, compact, livePsi, onConfirm, beside }: FillProps) {
  const { t } = useTranslation()
  const since = state.engineStart ? secondsSince(state.engineStart) : 0
  const [told, setTold] = useState<{ psi: number; at: ClockReading }>()
  const anchor = livePsi === null ? (told ?? anchorOf(state)) : { psi: livePsi, at: now() }
  if (!anchor) {
    return (
      <div className="group/fill grid gap-4 md:my-auto">
        <Face face={clockFace(Math.floor(since))} label={t('test.fill.unknown')}>
          <Meaning>{t('test.fill.unknown')}</Meaning>
          <NeedlesNow onTell={(psi) => setTold({ psi, at: now() })} />
        </Face>
        {!compact && beside?.(since, null)}
        {!compact && <Meanwhile {...{ state, onConfirm }} />}
      </div>
    )
  }
  const buildsS = secondsToFull(script, anchor.psi)
  const leftS = buildsS - secondsSince(anchor.at)
  const wholeS = livePsi !== null && state.engineStart ? secondsSince(state.engineStart) + leftS : buildsS
  const cutIn = script.usual_psi.cut_in ?? 0
  return (
    <div className="group/fill grid gap-4 md:my-auto">
      <Face
        face={clockFace(leftS)}
        label={t('test.fill.left')}
        bar={<Share share={wholeS > 0 ? 1 - leftS / wholeS : 1} />}
      >
        <Meaning>{t('test.fill.left')}</Meaning>
        {/* full from the start: nothing takes longer than was expected */}
        {leftS > 0
          ? t(script.fill.own > 0 ? 'test.fill.own' : 'test.fill.usual')
          : buildsS > 0 && t('test.fill.over')}
      </Face>
      {anchor.psi > cutIn && anchor.at === state.engineStart && (
        <p className="max-w-2xl border-l-4 border-amber pl-3 font-semibold">{t('test.fill.draw')}</p>
      )}
      {!compact && beside?.(since, leftS)}
      {!compact && <Meanwhile {...{ state, onConfirm }} />}
    </div>
  )
}

/** From where the air builds: the last reading, at its mark or when the engine was started after it. */
function anchorOf(state: TestState): { psi: number; at: ClockReading } | null {
  const read = state.marks.findLast((mark) => lowestPsi(mark) !== null)
  const psi = lowestPsi(read)
  if (!read || psi === null || !state.engineStart) return null
  const place = (id: string) => state.events.findIndex((event) => event.id === id)
  const startPlace = state.events.findIndex((event) => event === state.engineStart)
  return { psi, at: startPlace > place(read.id) ? state.engineStart : read }
}

/** Predicted seconds from a pressure to where it stops pumping, between the script's own figures. */
export function secondsToFull(script: Script, psi: number): number {
  const { from_psi, seconds } = script.fill
  const above = from_psi.findIndex((mark) => mark >= psi)
  if (above <= 0) return seconds[above === 0 ? 0 : seconds.length - 1] ?? 0
  const [low = 0, high = 0] = [from_psi[above - 1], from_psi[above]]
  const [slow = 0, quick = 0] = [seconds[above - 1], seconds[above]]
  return slow + ((psi - low) / (high - low)) * (quick - slow)
}

function NeedlesNow({ onTell }: { onTell: (psi: number) => void }) {
  const { t } = useTranslation()
  const { unit } = useFigures()
  return (
    <label className="flex items-center gap-2">
      {t('test.fill.now')}
      <input
        inputMode="decimal"
        size={5}
        className="num min-h-touch w-20 border-[1.5px] border-ink bg-sheet px-2 text-lead text-ink"
        onChange={(event) => {
          const value = parseNumber(event.target.value) ?? NaN
          const psi = toPsi(value, unit)
          if (event.target.value.length > 1 && psi > 0 && psi <= 200) onTell(psi)
        }}
      />
      {unitLabel[unit]}
    </label>
  )
}

/** What the waiting is good for; each is taken down with one tap. */
function Meanwhile({ state, onConfirm }: Pick<FillProps, 'state' | 'onConfirm'>) {
  const { t } = useTranslation()
  const open = MEANWHILE.filter(
    (item) => !state.events.some((event) => event.type === 'confirmed' && event.item === item),
  )
  if (open.length === 0) return null
  return (
    <section>
      <h2 className="text-note text-soft">{t('test.fill.meanwhile')}</h2>
      <ul className="flex flex-wrap gap-2">
        {open.map((item) => (
          <li key={item}>
            <button
              type="button"
              onClick={() => onConfirm([{ type: 'confirmed', item }])}
              className="flex min-h-touch items-center gap-2 border-[1.5px] border-line bg-sheet px-3"
            >
              <i aria-hidden className="size-4 border-2 border-current" />
              {t(`test.fill.items.${item}`)}
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}
