import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { AirColumn, type Bay, type Pin } from '../../shared/ui'

/** The air column of a judged run, as the core laid it out. */
export function ReportColumn({ column, fed }: { column: Schema['ColumnOut']; fed: boolean }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const bays: Bay[] = column.bays.map(({ stage, of, now, low_psi, high_psi }) => ({
    low: low_psi,
    high: high_psi,
    name: of === 'end' ? t('column.mayEnd') : t(`step.${stage}`),
    text: bayText(low_psi, high_psi, of === 'end'),
    now,
  }))
  function bayText(low: number | null, high: number | null, ends: boolean): string {
    if (low !== null && (high === null || ends)) return t('column.orMore', { value: figures.pressure(low) })
    if (low === null) return high === null ? '' : t('column.orLess', { value: figures.pressure(high) })
    return t('column.range', { low: figures.reading(low), high: figures.pressure(high ?? 0) })
  }
  const pins: Pin[] = column.pins.map(({ point, now, psi, outcome }) => ({
    psi,
    text: `${figures.reading(psi)} ${point === 'start' || point === 'end' ? t(`column.${point}`) : point === 'cut_out' ? t('column.full') : ''}`.trim(),
    out: outcome === 'fail' && point !== 'start',
    now,
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
