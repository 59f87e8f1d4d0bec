import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { Unread, unlockSound, useRecorder } from '../../run'
import { scriptQuery, unitsQuery, type Schema } from '../../shared/api'
import { useSession } from '../../shared/session'
import { Choice, Notice } from '../../shared/ui'
import { TextField } from './fields'
import { Limits } from './Limits'
import { useSetup } from './useSetup'
import { Way } from './Way'

type Unit = Schema['YardUnitOut']

export function SetupPage() {
  const { unitId = '' } = useParams()
  const { t } = useTranslation()
  const units = useQuery(unitsQuery())
  const unit = units.data?.find(({ id }) => id === unitId)
  if (!unit) {
    return (
      <main className="px-6">
        <Notice
          error={units.data ? new Error(t('app.notFound')) : units.error}
          onRetry={() => void units.refetch()}
        />
      </main>
    )
  }
  return <Setup unit={unit} />
}

function Setup({ unit }: { unit: Unit }) {
  const { status } = unit
  const { t } = useTranslation()
  const { me } = useSession()
  const navigate = useNavigate()
  const device = useRecorder()
  const [driver, setDriver] = useState(me.person?.name ?? '')
  const [refusal, setRefusal] = useState('refusal' in device ? device.refusal : '')
  const state = useSetup(unit)
  const { setup, change } = state
  const script = useQuery(scriptQuery(unit.id, state.procedure, state.rules))
  const chosenIsHere = script.data !== undefined && !script.isPlaceholderData
  const needsContact = !chosenIsHere && (script.fetchStatus === 'paused' || script.failureCount > 0)
  const ready = chosenIsHere && 'recorder' in device

  const begin = async (event: FormEvent) => {
    event.preventDefault()
    if (!ready || !script.data) return
    await unlockSound()
    const chosen = { unit, script: script.data, driver: driver.trim() }
    const led = { ...setup, watcher: setup.watcher.trim() }
    await device.recorder.begin({ ...chosen, setup: led }).then(
      (id) => {
        state.remember()
        void navigate(`/test/${id}`, { replace: true })
      },
      (error: unknown) => setRefusal(error instanceof Error ? error.message : String(error)),
    )
  }
  return (
    <main className="mx-auto flex min-h-dvh max-w-5xl flex-col">
      <header className="flex items-baseline gap-4 border-b-2 border-ink px-4 py-3 sm:px-9">
        <b className="text-lead">{[unit.name, ...unit.trailers].join(' + ')}</b>
        <span className="text-soft max-sm:hidden">{t(`kind.${unit.kind}`)}</span>
        <Link
          to={`/inspection/new/${unit.id}`}
          className="ml-auto inline-flex min-h-touch min-w-touch items-center justify-end underline underline-offset-4"
        >
          {t('app.inspection')}
        </Link>
        <Link
          to="/"
          className="inline-flex min-h-touch min-w-touch items-center justify-end text-soft underline underline-offset-4"
        >
          {t('app.yard')}
        </Link>
      </header>
      <form onSubmit={(event) => void begin(event)} className="flex grow flex-col">
        <div className="grid grow content-start gap-x-12 gap-y-5 px-4 py-5 sm:px-9 md:grid-cols-2">
          <h1 className="text-title md:col-span-2">{t('setup.title')}</h1>
          {status && <Recheck status={status} />}
          {status && <Unread defects={status.defects} />}
          <div className="grid content-start gap-5">
            <TextField
              label={t('setup.driver')}
              hint={t('setup.driverHint')}
              value={driver}
              onChange={setDriver}
            />
            <TextField
              label={t('setup.watcher')}
              hint={t('setup.watcherHint')}
              value={setup.watcher}
              onChange={(watcher) => change({ watcher })}
            />
            <Choice
              label={t('setup.purpose')}
              value={setup.purpose}
              options={(['dispatch', 'training', 'rehearsal'] as const).map((value) => ({
                value,
                text: t(`report.purposes.${value}`),
              }))}
              onChange={(purpose) => change({ purpose, examined: false })}
            />
            {setup.purpose === 'training' && (
              <Choice
                label={t('learn.exam.setup')}
                value={setup.examined ? 'exam' : 'lesson'}
                options={(['lesson', 'exam'] as const).map((value) => ({
                  value,
                  text: t(`learn.exam.as.${value}`),
                }))}
                onChange={(as) =>
                  change({ examined: as === 'exam', calls: as === 'exam' ? 'rehearsal' : 'prompt' })
                }
              />
            )}
            {setup.examined && <p className="max-w-md text-note">{t('learn.exam.how')}</p>}
          </div>
          <Way {...{ state }} procedure={state.procedure ?? script.data?.procedure.id ?? ''} />
          {needsContact && (
            <p role="alert" className="border-l-4 border-amber pl-3 font-semibold md:col-span-2">
              {t('setup.notKnown')}
            </p>
          )}
          {needsContact ? null : script.data ? (
            <Limits script={script.data} />
          ) : (
            <Notice error={script.error} onRetry={() => void script.refetch()} />
          )}
          {refusal && (
            <p role="alert" className="font-semibold text-clay md:col-span-2">
              {t('setup.storage', { why: refusal })}
            </p>
          )}
          <p className="max-w-xl text-note text-soft md:col-span-2">{t('app.caution')}</p>
        </div>
        <button
          type="submit"
          disabled={!ready}
          className="sticky bottom-0 flex items-center justify-between bg-air px-4 py-5 text-bar leading-none font-bold text-on-air disabled:bg-hair disabled:text-soft sm:px-9"
        >
          {t('setup.begin')}
          <kbd className="border-[1.5px] border-current px-3.5 py-1.5 font-sans text-note font-semibold max-md:hidden">
            {t('setup.key')}
          </kbd>
        </button>
      </form>
    </main>
  )
}

/** A held unit's test is a recheck: what must pass, in the order to do it. */
function Recheck({ status: { holds } }: { status: NonNullable<Unit['status']> }) {
  const { t } = useTranslation()
  if (holds.length === 0) return null
  return (
    <section data-recheck className="border-l-8 border-clay bg-sheet px-4 py-3 md:col-span-2">
      <h2 className="text-body font-semibold text-clay">{t('status.recheckAsked')}</h2>
      <ul>
        {holds.map((hold) => (
          <li key={hold.id} className="py-1">
            {hold.text}
            <ol className="list-inside list-decimal text-soft">
              {hold.ways.map(({ way, text }) => (
                <li key={way}>{text}</li>
              ))}
            </ol>
          </li>
        ))}
      </ul>
    </section>
  )
}
