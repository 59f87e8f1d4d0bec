import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, ApiError, need, type Schema } from '../../shared/api'
import { Notice, OutcomeMark } from '../../shared/ui'

/** A moment as a paper has it, wherever it is read. */
const asOnPaper = (moment: string) => `${new Date(moment).toISOString().slice(0, 16).replace('T', ' ')} UTC`

type Outcome = Parameters<typeof OutcomeMark>[0]['outcome']

/** What the code on a paper leads to: whoever holds the paper compares, signed in or not. */
export function CheckPage({ hash }: { hash: string }) {
  const { t } = useTranslation()
  const { data, error, refetch } = useQuery({
    queryKey: ['check', hash],
    queryFn: ({ signal }) =>
      need(api.GET('/api/check/{sha256}', { signal, params: { path: { sha256: hash } } })),
  })
  const unknown = error instanceof ApiError && !error.passing
  return (
    <main id="page" className="mx-auto grid max-w-2xl gap-5 px-4 py-8">
      <h1 className="text-title">{t('log.check.title')}</h1>
      {data ? (
        <Sealed seal={data} />
      ) : unknown ? (
        <p
          data-check="unknown"
          role="alert"
          className="border-l-8 border-clay pl-4 text-lead font-semibold text-clay"
        >
          {t('log.check.unknown')}
        </p>
      ) : (
        <Notice error={error} onRetry={() => void refetch()} />
      )}
      <p className="num text-note break-all text-soft">{hash}</p>
      <p className="text-note text-soft">{t('log.check.elsewhere')}</p>
    </main>
  )
}

function Sealed({ seal }: { seal: Schema['CheckedSealOut'] }) {
  const { t } = useTranslation()
  return (
    <>
      {seal.changed > 0 ? (
        <p
          data-check="changed"
          role="alert"
          className="border-l-8 border-clay pl-4 text-lead font-semibold text-clay"
        >
          {t('log.check.changed', { count: seal.changed })}
        </p>
      ) : (
        <p data-check="sound" className="border-l-8 border-air pl-4 text-lead font-semibold">
          {t('log.check.sound')}
        </p>
      )}
      {seal.began ? (
        <>
          <p>{t('log.check.compare')}</p>
          <dl className="grid grid-cols-[max-content_1fr] items-baseline gap-x-6 gap-y-2 border-y-[1.5px] border-ink py-4">
            <dt className="text-soft">{t('log.unit')}</dt>
            <dd className="text-lead font-semibold">{seal.unit || '–'}</dd>
            <dt className="text-soft">{t('report.started')}</dt>
            <dd className="num text-lead font-semibold">{asOnPaper(seal.began)}</dd>
            <dt className="text-soft">{t('log.outcome')}</dt>
            <dd>
              <OutcomeMark outcome={seal.outcome as Outcome} />
            </dd>
            <dt className="text-soft">{t('log.check.seal')}</dt>
            <dd className="num">
              {seal.place} · {asOnPaper(seal.sealed_at)}
            </dd>
          </dl>
        </>
      ) : seal.of === 'run' ? (
        <p>{t('log.check.broken', { place: seal.place, when: asOnPaper(seal.sealed_at) })}</p>
      ) : (
        <p>{t('log.check.key', { place: seal.place, when: asOnPaper(seal.sealed_at) })}</p>
      )}
      {seal.amended_by !== null && (
        <p className="border-l-4 border-amber pl-3">{t('log.check.amended', { place: seal.amended_by })}</p>
      )}
    </>
  )
}
