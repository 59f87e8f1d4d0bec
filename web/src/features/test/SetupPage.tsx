import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from 'react-i18next'
import { Link, useNavigate, useParams } from 'react-router'
import { scriptQuery, unitsQuery } from '../../api'
import { useFigures } from '../../figures/useFigures'
import { leakStep, tryTones, unlockSound, useRecorder } from '../../live'
import { useSession } from '../../session'
import { Button, Notice } from '../../ui'

const ruleSets = ['us-cdl', 'us-older', 'us-federal', 'canada-west'] as const

export function SetupPage() {
  const { unitId = '' } = useParams()
  const { t } = useTranslation()
  const units = useQuery(unitsQuery())
  const unit = units.data?.find(({ id }) => id === unitId)
  const [chosen, setChosen] = useState<string>()
  const { me } = useSession()
  const [driver, setDriver] = useState(me.person?.name ?? '')
  const script = useQuery({ ...scriptQuery(unitId, chosen ?? unit?.rules ?? ''), enabled: !!unit })
  const { language } = useFigures()
  const device = useRecorder()
  const navigate = useNavigate()

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
  const limit = script.data && leakStep(script.data).limit
  const begin = async (event: FormEvent) => {
    event.preventDefault()
    if (!script.data || !('recorder' in device)) return
    await unlockSound()
    const id = await device.recorder.begin({ unit, script: script.data, driver: driver.trim() })
    void navigate(`/test/${id}`, { replace: true })
  }
  return (
    <main className="mx-auto flex min-h-dvh max-w-3xl flex-col">
      <header className="flex items-baseline justify-between border-b-2 border-ink px-4 py-3 sm:px-9">
        <b>{unit.name}</b>
        <span className="text-soft">{t(`kind.${unit.kind}`)}</span>
        <Link to="/" className="text-soft underline underline-offset-4">
          {t('app.yard')}
        </Link>
      </header>
      <form onSubmit={(event) => void begin(event)} className="flex grow flex-col">
        <div className="grid grow content-start gap-6 px-4 py-6 sm:px-9">
          <h1 className="text-title">{t('setup.title')}</h1>
          <label className="block max-w-md">
            <span className="text-note text-soft">{t('setup.driver')}</span>
            <input
              value={driver}
              onChange={(event) => setDriver(event.target.value)}
              maxLength={80}
              autoComplete="name"
              placeholder={t('setup.driverHint')}
              className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
            />
          </label>
          <label className="block max-w-md">
            <span className="text-note text-soft">{t('setup.rules')}</span>
            <select
              value={chosen ?? unit.rules}
              onChange={(event) => setChosen(event.target.value)}
              className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3"
            >
              {ruleSets.map((id) => (
                <option key={id} value={id}>
                  {t(`rules.${id}`)}
                </option>
              ))}
            </select>
          </label>
          {script.data ? (
            <div className="max-w-xl border-l-4 border-ink pl-4">
              <div className="text-note text-soft">{t('setup.limit')}</div>
              <p className="text-lead">{limit ? limit.words[language] : t('setup.noLimit')}</p>
            </div>
          ) : (
            <Notice error={script.error} onRetry={() => void script.refetch()} />
          )}
          <div className="flex flex-wrap items-center gap-4">
            <Button onClick={() => void unlockSound().then((on) => on && tryTones())}>
              {t('setup.trySound')}
            </Button>
            <span className="text-note text-soft">{t('setup.soundHint')}</span>
          </div>
          {'refusal' in device && (
            <p role="alert" className="font-semibold text-clay">
              {t('setup.storage', { why: device.refusal })}
            </p>
          )}
          <p className="max-w-xl text-note text-soft">{t('app.caution')}</p>
        </div>
        <button
          type="submit"
          disabled={!script.data || limit === null || 'refusal' in device}
          className="sticky bottom-0 flex items-center justify-between bg-air px-4 py-6 text-strike leading-none font-bold text-on-air disabled:bg-hair disabled:text-soft sm:px-9"
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
