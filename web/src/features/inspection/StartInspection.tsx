import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { Unread, unlockSound, useRecorder } from '../../run'
import { inspectionStartQuery, unitsQuery, type Schema } from '../../shared/api'
import { useSession } from '../../shared/session'
import { Choice, Notice } from '../../shared/ui'

/** Before an inspection: which way, what for, and by whose rules. */
export function StartInspection() {
  const { unitId = '' } = useParams()
  const { t } = useTranslation()
  const { me } = useSession()
  const navigate = useNavigate()
  const device = useRecorder()
  const unit = useQuery(unitsQuery()).data?.find(({ id }) => id === unitId)
  const [way, setWay] = useState<string>()
  const [purpose, setPurpose] = useState<Schema['InspectionOut']['purpose']>('dispatch')
  const [refusal, setRefusal] = useState('refusal' in device ? device.refusal : '')
  const start = useQuery(inspectionStartQuery(unitId, way, purpose))
  const chosen = start.data?.script.way.id
  const ready = start.data !== undefined && !start.isPlaceholderData && unit && 'recorder' in device
  const begin = async (event: FormEvent) => {
    event.preventDefault()
    if (!ready || !start.data) return
    await unlockSound()
    const inspections = await device.recorder.inspections()
    await inspections.begin({ unit, start: start.data, driver: me.person?.name ?? '' }).then(
      (id) => void navigate(`/inspection/${id}`, { replace: true }),
      (error: unknown) => setRefusal(error instanceof Error ? error.message : String(error)),
    )
  }
  const asks = start.data?.script.asks ?? []
  const minutes = Math.max(1, Math.round(asks.reduce((sum, { seconds }) => sum + seconds, 0) / 60))
  return (
    <main className="mx-auto flex min-h-dvh max-w-3xl flex-col">
      <header className="flex items-baseline gap-4 border-b-2 border-ink px-4 py-3 sm:px-9">
        <b className="text-lead">{[unit?.name, ...(unit?.trailers ?? [])].filter(Boolean).join(' + ')}</b>
        <Link
          to="/"
          className="ml-auto inline-flex min-h-touch min-w-touch items-center justify-end text-soft underline underline-offset-4"
        >
          {t('app.yard')}
        </Link>
      </header>
      <form onSubmit={(event) => void begin(event)} className="flex grow flex-col">
        <div className="grid grow content-start gap-5 px-4 py-5 sm:px-9">
          <h1 className="text-title">{t('inspection.startTitle', { unit: unit?.name ?? '' })}</h1>
          {start.data ? (
            <>
              <Choice
                label={t('inspection.way')}
                value={chosen ?? ''}
                options={start.data.ways.map(({ id, name }) => ({ value: id, text: name }))}
                onChange={setWay}
              />
              {unit?.status && <Unread defects={unit.status.defects} />}
              <p>
                {t('inspection.asks', { count: asks.length })}, {t('inspection.takes', { minutes })}
              </p>
              <Choice
                label={t('setup.purpose')}
                value={purpose}
                options={(['dispatch', 'training', 'rehearsal'] as const).map((value) => ({
                  value,
                  text: t(`report.purposes.${value}`),
                }))}
                onChange={setPurpose}
              />
            </>
          ) : start.fetchStatus === 'paused' || start.failureCount > 0 ? (
            <p role="alert" className="border-l-4 border-amber pl-3 font-semibold">
              {t('inspection.notKnown')}
            </p>
          ) : (
            <Notice error={start.error} onRetry={() => void start.refetch()} />
          )}
          {refusal && (
            <p role="alert" className="font-semibold text-clay">
              {t('setup.storage', { why: refusal })}
            </p>
          )}
          <p className="text-note text-soft">{t('app.caution')}</p>
        </div>
        <button
          type="submit"
          disabled={!ready}
          className="sticky bottom-0 bg-air px-4 py-5 text-left text-bar leading-none font-bold text-on-air disabled:bg-hair disabled:text-soft sm:px-9"
        >
          {t('inspection.start')}
        </button>
      </form>
    </main>
  )
}
