import { useTranslation } from 'react-i18next'
import { clockFace, inUnit, unitLabel, type PressureUnit } from '../../figures/format'
import { soundIsOn, type Progress } from '../../live'

const LAST_S = 10

/** The countdown of a hold, with one block a second: the last ten are amber. */
export function HoldClock({ leftS, holdS, progress }: { leftS: number; holdS: number; progress: Progress }) {
  const { t } = useTranslation()
  const gone = Math.floor(Math.min(holdS, Math.max(0, holdS - leftS)))
  const values = numbersText(progress)
  return (
    <section className="md:my-auto" role="timer" aria-label={t('test.left', { hold: holdS })}>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <div className="num text-[6.5rem] leading-[0.8] tracking-tight md:text-clock">{clockFace(leftS)}</div>
        <div className="text-soft">
          <b className="block text-figure leading-tight text-ink">{t('test.left', { hold: holdS })}</b>
          {values ? t('test.startedAt', { values }) : t('test.startUnset')}
          <span className="block max-md:hidden">{soundIsOn() ? t('test.tones') : t('test.silent')}</span>
        </div>
      </div>
      <div aria-hidden className="mt-4 flex h-3.5 gap-[1.5px]">
        {Array.from({ length: holdS }, (_, second) => (
          <i
            key={second}
            className={`grow ${second < gone ? 'bg-hair' : second >= holdS - LAST_S ? 'bg-amber' : 'bg-ink'}`}
          />
        ))}
      </div>
    </section>
  )
}

/** The wait since the pedal went down: advised, never required. */
export function WaitClock({ waitS, advisedS }: { waitS: number; advisedS: number }) {
  const { t } = useTranslation()
  const enough = waitS >= advisedS
  return (
    <section className="md:my-auto" role="timer" aria-label={t('test.wait')}>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <div className="num text-[6.5rem] leading-[0.8] tracking-tight md:text-clock">
          {clockFace(Math.floor(waitS))}
        </div>
        <div className="text-soft">
          <b className="block text-figure leading-tight text-ink">{t('test.wait')}</b>
          {enough ? t('test.waitLong') : t('test.waitAdvice', { advised: advisedS })}
        </div>
      </div>
      <div aria-hidden className="mt-4 h-3.5 bg-hair">
        <div className="h-full bg-ink" style={{ width: `${Math.min(1, waitS / advisedS) * 100}%` }} />
      </div>
    </section>
  )
}

function numbersText(progress: Progress): string {
  const numbers = Object.entries(progress.start?.numbers ?? {})
  const unit = numbers[0]?.[0].split('_')[1] as PressureUnit | undefined
  if (!unit) return ''
  return `${numbers.map(([, value]) => inUnit(value, unit)).join(' · ')} ${unitLabel[unit]}`
}
