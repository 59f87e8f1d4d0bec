import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { inspectionsQuery } from '../../shared/api'

/** The inspections that were done beside this test: how much of them while air built, and what was found. */
export function LinkedInspections({ runId }: { runId: string }) {
  const { t } = useTranslation()
  const { data = [] } = useQuery(inspectionsQuery({ run: runId }))
  if (data.length === 0) return null
  return (
    <section className="mt-5" data-inspections-beside>
      <h2 className="text-lead">{t('inspection.report.beside')}</h2>
      <ul>
        {data.map(({ id, figures }) => (
          <li key={id} className="flex flex-wrap items-center gap-x-4">
            <Link
              to={`/inspections/${id}`}
              className="inline-flex min-h-touch items-center text-air underline underline-offset-4"
            >
              {t('inspection.report.counted', { done: figures.of - figures.left, of: figures.of })}
            </Link>
            {figures.while_filling > 0 && (
              <span data-while-filling={figures.while_filling}>
                {t('inspection.whileBuilt', { count: figures.while_filling })}
              </span>
            )}
            {figures.worst && (
              <b className={figures.worst === 'stay' ? 'text-clay' : ''}>
                {t(`acts.consequence.${figures.worst}`)}
              </b>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}
