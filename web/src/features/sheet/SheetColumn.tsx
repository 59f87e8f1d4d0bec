import { useTranslation } from 'react-i18next'
import type { Schema } from '../../api'
import { useFigures } from '../../figures/useFigures'
import { AirColumn, type Bay, type Pin } from '../../ui'

/** The air column of a judged run, as the core laid it out. */
export function SheetColumn({ column, fed }: { column: Schema['ColumnOut']; fed: boolean }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const bays: Bay[] = column.bays.map(({ stage, low_psi, high_psi }) => ({
    low: low_psi,
    high: high_psi,
    name: stage === 'leak_applied' || stage === 'leak_released' ? t('column.mayEnd') : t(`stage.${stage}`),
    text: bayText(low_psi, high_psi, stage.startsWith('leak_')),
    now: stage === 'leak_applied',
  }))
  function bayText(low: number | null, high: number | null, leak: boolean): string {
    if (low !== null && (high === null || leak)) return t('column.orMore', { value: figures.pressure(low) })
    if (low === null) return high === null ? '' : t('column.orLess', { value: figures.pressure(high) })
    return t('column.range', { low: figures.reading(low), high: figures.pressure(high ?? 0) })
  }
  const pins: Pin[] = column.pins.map(({ stage, point, psi, outcome }) => ({
    psi,
    text: `${figures.reading(psi)} ${point === 'start' || point === 'end' ? t(`column.${point}`) : point === 'cut_out' ? t('column.full') : ''}`.trim(),
    out: outcome === 'fail' && point !== 'start',
    now: stage === 'leak_applied' && point === 'end',
  }))
  const { fill_psi } = column
  return (
    <AirColumn
      unit={figures.unit}
      fill={fill_psi}
      note={[t(fed ? 'column.live' : 'column.byEye')]}
      solid={fed}
      bays={bays}
      pins={pins}
      label={t('column.label', { value: fill_psi === null ? t('column.empty') : figures.pressure(fill_psi) })}
    />
  )
}
