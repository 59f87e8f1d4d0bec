import { useTranslation } from 'react-i18next'
import { toPsi, type PressureUnit } from '../../figures/format'
import { useFigures } from '../../figures/useFigures'
import { leakStep, secondsSince, type LiveRun, type Mark, type Progress } from '../../live'
import { AirColumn, type Bay, type Pin } from '../../ui'

/** The air column of a leak test under way: filled by eye to the lowest needle, the bay showing where it may end. */
export function TestColumn({ live, progress }: { live: LiveRun; progress: Progress }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const limit = leakStep(live.run.script).limit
  const start = lowest(progress.start)
  const end = lowest(progress.end)
  const latest = end === null ? progress.start : progress.end
  const fill = end ?? start
  const most = limit?.bounds.find(
    ({ comparator }) => comparator === 'at_most' || comparator === 'below',
  )?.value

  const bays: Bay[] = []
  if (start !== null && most !== undefined) {
    bays.push({
      low: start - most,
      high: start,
      name: t('column.mayEnd'),
      text: t('column.orMore', { value: figures.pressure(start - most) }),
      now: true,
    })
  }
  if (start === null && limit) {
    const { charged_psi } = live.run.script
    bays.push({
      low: charged_psi,
      high: null,
      name: t('column.mustStart'),
      text: t('column.orMore', { value: figures.pressure(charged_psi) }),
    })
  }
  const pins: Pin[] = []
  if (start !== null)
    pins.push({ psi: start, text: `${figures.reading(start)} ${t('column.start')}`, now: end === null })
  if (end !== null) pins.push({ psi: end, text: `${figures.reading(end)} ${t('column.end')}`, now: true })

  const age = latest && fill !== null ? Math.floor(secondsSince(latest)) : 0
  return (
    <>
      {(['wide', 'narrow'] as const).map((form) => (
        <div key={form} className={`h-full ${form === 'wide' ? 'max-md:hidden' : 'md:hidden'}`}>
          <AirColumn
            unit={figures.unit}
            fill={fill}
            note={[t('column.old', { age }), t('column.byEye')]}
            bays={bays}
            pins={pins}
            narrow={form === 'narrow'}
            label={t('column.label', { value: fill === null ? t('column.empty') : figures.pressure(fill) })}
          />
        </div>
      ))}
    </>
  )
}

function lowest(mark: Mark | null): number | null {
  const values = Object.entries(mark?.numbers ?? {}).map(([key, value]) =>
    toPsi(value, key.split('_')[1] as PressureUnit),
  )
  return values.length ? Math.min(...values) : null
}
