import { useTranslation } from 'react-i18next'
import { fromPsi } from '../../figures/format'
import { useFigures } from '../../figures/useFigures'
import type { Script } from '../../live'
import { Button, Tape } from '../../ui'
import type { Readings } from './useReadings'

const USUAL_PSI = 100

interface TapesProps {
  script: Script
  readings: Readings
  /** While the strike has another meaning, the numbers are accepted by a button of their own. */
  ownButton: boolean
  early: boolean
}

export function Tapes({ script, readings, ownButton, early }: TapesProps) {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const { point, values, asking, complete } = readings
  const heading = point === 'end' ? t(early ? 'test.ended' : 'test.timeUp') : t('test.startUnset')
  return (
    <section aria-label={t(`test.${point}`)}>
      {!ownButton && <p className="mb-2 text-title font-bold">{heading}</p>}
      <div className={`grid gap-3 ${script.needles.length > 1 ? 'md:grid-cols-2 md:gap-5' : 'max-w-md'}`}>
        {script.needles.map((needle, index) => (
          <Tape
            key={readings.mark.id + needle}
            name={t(`test.${script.needles.length === 1 ? 'single' : needle}`)}
            unit={unit}
            value={values[needle] ?? null}
            ghost={fromPsi(readings.ghostPsi(needle) ?? USUAL_PSI, unit)}
            low={Math.ceil(fromPsi(script.lowest_psi, unit))}
            high={Math.floor(fromPsi(script.highest_psi, unit) * 100) / 100}
            autoFocus={index === 0}
            onChange={(value) => readings.set(needle, value)}
            onAccept={readings.accept}
          />
        ))}
      </div>
      {asking && (
        <p role="alert" className="mt-3 border-l-4 border-amber pl-3 font-semibold">
          {asking}
        </p>
      )}
      {ownButton && (
        <Button
          tone={complete ? 'air' : 'plain'}
          disabled={!complete}
          onClick={readings.accept}
          className="mt-3 mb-3 w-full text-lead md:w-auto"
        >
          {t('test.acceptStart')}
        </Button>
      )}
    </section>
  )
}
