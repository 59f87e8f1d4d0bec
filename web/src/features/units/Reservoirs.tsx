import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'

/** Service reservoirs against what the chambers require, as the core worked it out. */
export function Reservoirs({
  check,
  short = false,
}: {
  check: Schema['ReservoirsOut'] | null
  short?: boolean
}) {
  const { t } = useTranslation()
  if (!check) return <span className="text-soft">{t('units.unknown')}</span>
  const word = check.enough ? t('units.enough') : t('units.tooSmall')
  return (
    <span className={check.enough ? '' : 'font-semibold text-clay'}>
      <span className="num">
        {Math.round(check.actual_in3)} / {Math.round(check.required_in3)}
      </span>{' '}
      in³, {word}
      {!short && <span className="block text-note font-normal text-soft">{check.source}</span>}
    </span>
  )
}
