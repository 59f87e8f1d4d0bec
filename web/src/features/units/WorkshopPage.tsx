import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { workshopQuery } from '../../shared/api'
import { Notice } from '../../shared/ui'
import { CalendarForm } from './CalendarForm'
import { DefectCard } from './DefectCard'
import { HoldCard } from './HoldCard'
import { ReadTokens } from './ReadTokens'
import { WaitingActs } from './WaitingActs'

/** Holds and defects in the order to take them, each with what to do about it. */
export function WorkshopPage() {
  const { t } = useTranslation()
  const { data, error, refetch } = useQuery(workshopQuery())
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  const { holds, defects } = data
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4 pt-5 pb-3">
        <h1 className="text-title">{t('workshop.title')}</h1>
        <p className="text-soft">
          {holds.length + defects.length === 0
            ? t('workshop.none')
            : t('workshop.summary', { holds: holds.length, defects: defects.length })}
        </p>
      </div>
      <WaitingActs />
      <div className="grid gap-x-10 gap-y-6 lg:grid-cols-2">
        <section>
          <h2 className="mb-2 text-lead">{t('workshop.holds')}</h2>
          <div className="grid gap-4">
            {holds.length === 0 && <p className="text-soft">{t('workshop.noHolds')}</p>}
            {holds.map((hold) => (
              <HoldCard key={hold.id} hold={hold} defects={defects} />
            ))}
          </div>
        </section>
        <section>
          <h2 className="mb-2 text-lead">{t('workshop.defects')}</h2>
          <div className="grid gap-4">
            {defects.length === 0 && <p className="text-soft">{t('workshop.noDefects')}</p>}
            {defects.map((defect) => (
              <DefectCard key={defect.id} defect={defect} beside={defects} />
            ))}
          </div>
        </section>
      </div>
      <CalendarForm />
      <ReadTokens />
    </>
  )
}
