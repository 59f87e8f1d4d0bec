import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { inspectionsQuery } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Notice } from '../../shared/ui'

const SHOWN = 6

/** The latest inspections of a unit: when, by whom, how far, and what was found. */
export function Inspections({ unitId }: { unitId: string }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { data, error, refetch } = useQuery(inspectionsQuery({ unit: unitId }))
  return (
    <section>
      <h2 className="mb-2 text-lead">{t('inspection.report.inspections')}</h2>
      {!data ? (
        <Notice error={error} onRetry={() => void refetch()} />
      ) : data.length === 0 ? (
        <p className="text-soft">{t('inspection.report.noInspections')}</p>
      ) : (
        <ul>
          {data.slice(0, SHOWN).map((one) => (
            <li key={one.id} className="border-b border-line">
              <Link to={`/inspections/${one.id}`} className="flex min-h-touch items-center gap-3">
                <span className="grow">
                  <span className="text-air underline underline-offset-4">
                    {figures.when(one.started_at)}
                  </span>{' '}
                  <span className="text-soft">{one.driver}</span>
                </span>
                {one.figures.worst ? (
                  <b className={one.figures.worst === 'stay' ? 'text-clay' : ''}>
                    {t(`acts.consequence.${one.figures.worst}`)}
                  </b>
                ) : (
                  <span className="text-soft">
                    {t(one.figures.complete ? 'inspection.report.complete' : 'inspection.left', {
                      count: one.figures.left,
                    })}
                  </span>
                )}
              </Link>
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}
