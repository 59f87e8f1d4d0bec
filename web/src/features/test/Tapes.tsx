import { useRef } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { fromPsi } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import type { Mark, Script } from '../../run'
import { Button, Tape } from '../../shared/ui'
import type { Readings } from './useReadings'

interface TapesProps {
  script: Script
  readings: Readings
  /** Every group that waits for its numbers. */
  waiting: Mark[][]
  onChoose: (group: Mark[]) => void
  /** While the mark bar has another meaning, the numbers are accepted by a button of their own. */
  ownButton: boolean
}

/** The tapes of one mark, and the others that wait for theirs. */
export function Tapes({ script, readings, waiting, onChoose, ownButton }: TapesProps) {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const pointName = usePointName(script)
  const { group, values, asking, complete } = readings
  const id = group[0]?.id ?? ''
  const tapes = useRef<HTMLDivElement>(null)
  const accept = () => {
    const unset = tapes.current?.querySelector<HTMLElement>('[role=slider][data-set=false]')
    if (unset) unset.focus()
    else readings.accept()
  }
  const asks = t('test.number', { point: pointName(group) })
  return (
    <section
      className="@container"
      aria-label={asks}
      data-stage={group[0]?.stage}
      data-point={group[0]?.point}
    >
      <div className="mb-1 flex flex-wrap items-center gap-x-4">
        <p className="font-semibold">{asks}</p>
        {waiting.length > 1 &&
          waiting
            .filter(([mark]) => mark && mark.id !== id)
            .map((other) => (
              <button
                key={other[0]?.id}
                type="button"
                onClick={() => onChoose(other)}
                className="min-h-touch text-note underline underline-offset-4"
              >
                {pointName(other)}
              </button>
            ))}
      </div>
      <div
        ref={tapes}
        className={`grid gap-2 ${script.needles.length > 1 ? '@xl:grid-cols-2 @xl:gap-5' : 'max-w-md'}`}
      >
        {script.needles.map((needle, index) => (
          <Tape
            key={id + needle}
            name={t(`test.${script.needles.length === 1 ? 'single' : needle}`)}
            unit={unit}
            value={values[needle] ?? null}
            ghost={fromPsi(readings.ghostPsi(needle), unit)}
            low={Math.ceil(fromPsi(script.lowest_psi, unit))}
            high={Math.floor(fromPsi(script.highest_psi, unit) * 100) / 100}
            autoFocus={index === 0}
            onChange={(value) => readings.set(needle, value)}
            onAccept={accept}
          />
        ))}
      </div>
      {asking && (
        <p role="alert" className="mt-2 border-l-4 border-amber pl-3 font-semibold">
          {asking}
        </p>
      )}
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 py-2">
        {ownButton && (
          <Button
            tone={complete ? 'air' : 'plain'}
            disabled={!complete}
            onClick={readings.accept}
            className="max-md:grow"
          >
            {asking ? t('test.bar.itIs') : t('test.accept')}
          </Button>
        )}
        <label className="flex min-h-touch cursor-pointer items-center gap-2 text-note">
          <input
            type="checkbox"
            checked={readings.late}
            onChange={(event) => readings.setLate(event.target.checked)}
            className="size-5 accent-ink"
          />
          {t('test.late')} <span className="text-soft max-sm:hidden">{t('test.lateHint')}</span>
        </label>
      </div>
    </section>
  )
}

/** What a mark is called in "what stood there …?". */
function usePointName(script: Script): (group: Mark[]) => string {
  const { t } = useTranslation()
  const { pressure } = useFigures()
  return (group) => {
    const [mark] = group
    if (!mark) return ''
    const { point, which } = mark
    if (point === 'lower' || point === 'upper') {
      return t(`test.point.${point}`, { psi: pressure(script.usual_psi[point] ?? 0) })
    }
    if (point === 'warning')
      return t(`test.point.${group.length > 1 || !which ? 'warning' : (which as 'lamp')}`)
    if (point === 'popped') return t(`test.point.${group.length > 1 ? 'popped' : (which as 'tractor')}`)
    return t(`test.point.${point}`)
  }
}
