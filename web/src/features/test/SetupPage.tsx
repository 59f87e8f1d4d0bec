import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import { Link, useNavigate, useParams } from 'react-router'
import { scriptQuery, unitsQuery, type Schema } from '../../shared/api'
import { usePreferences } from '../../shared/preferences'
import { useFigures } from '../../shared/figures/useFigures'
import { useRulebook } from '../../shared/figures/useRulebook'
import { HOUSE_WAY, type RunSetup } from '../../device'
import { isStage, speak, tryTones, unlockSound, useRecorder, type Script } from '../../run'
import { useSession } from '../../shared/session'
import { Button, Choice, Notice } from '../../shared/ui'

type Unit = Schema['YardUnitOut']

/** What is said aloud is taken down where somebody learns, and left alone where a vehicle only has to leave. */
const callsFor: Record<RunSetup['purpose'], RunSetup['calls']> = {
  dispatch: 'off',
  training: 'prompt',
  rehearsal: 'rehearsal',
}

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
  const { t } = useTranslation()
  const { me } = useSession()
  const book = useRulebook()
  const [rules, setRules] = useState<string>(unit.rules)
  const [procedure, setProcedure] = useState<string | undefined>(unit.procedure ?? undefined)
  const [driver, setDriver] = useState(me.person?.name ?? '')
  const [setup, setSetup] = useState<RunSetup>(HOUSE_WAY)
  const [callsChosen, setCallsChosen] = useState(false)
  const script = useQuery(scriptQuery(unit.id, procedure, rules))
  const device = useRecorder()
  const [refusal, setRefusal] = useState('refusal' in device ? device.refusal : '')
  const navigate = useNavigate()
  const change = (part: Partial<RunSetup>) => setSetup((now) => ({ ...now, ...part }))
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
      (id) => void navigate(`/test/${id}`, { replace: true }),
      (error: unknown) => setRefusal(error instanceof Error ? error.message : String(error)),
    )
  }
  return (
    <main className="mx-auto flex min-h-dvh max-w-5xl flex-col">
      <header className="flex items-baseline gap-4 border-b-2 border-ink px-4 py-3 sm:px-9">
        <b className="text-lead">{[unit.name, ...unit.trailers].join(' + ')}</b>
        <span className="text-soft max-sm:hidden">{t(`kind.${unit.kind}`)}</span>
        <Link
          to="/"
          className="ml-auto inline-flex min-h-touch min-w-touch items-center justify-end text-soft underline underline-offset-4"
        >
          {t('app.yard')}
        </Link>
      </header>
      <form onSubmit={(event) => void begin(event)} className="flex grow flex-col">
        <div className="grid grow content-start gap-x-12 gap-y-5 px-4 py-5 sm:px-9 md:grid-cols-2">
          <h1 className="text-title md:col-span-2">{t('setup.title')}</h1>
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
                text: t(`sheet.purposes.${value}`),
              }))}
              onChange={(purpose) =>
                change({ purpose, ...(callsChosen ? {} : { calls: callsFor[purpose] }) })
              }
            />
            <Calls
              setup={setup}
              onChange={(calls) => {
                setCallsChosen(true)
                change({ calls })
              }}
            />
            <Choice
              label={t('setup.timekeeper')}
              value={setup.timekeeper}
              options={(['tool', 'driver', 'watcher'] as const).map((value) => ({
                value,
                text: t(`setup.timekeepers.${value}`),
              }))}
              onChange={(timekeeper) => change({ timekeeper })}
            />
          </div>
          <div className="grid content-start gap-5">
            <Select
              label={t('setup.rules')}
              value={rules}
              options={book.rules}
              onChange={(next) => {
                setRules(next)
                // the order of work is the school's own unless the unit has one
                setProcedure(unit.procedure ?? undefined)
              }}
            />
            <Select
              label={t('setup.procedure')}
              value={procedure ?? script.data?.procedure.id ?? ''}
              options={book.procedures}
              onChange={setProcedure}
            />
            <Choice
              label={t('setup.policy')}
              value={setup.policy ?? 'rules'}
              options={(['rules', 'both', 'primary'] as const).map((value) => ({
                value,
                text: t(`setup.policies.${value}`),
              }))}
              onChange={(policy) => change({ policy: policy === 'rules' ? null : policy })}
            />
            <Choice
              label={t('setup.readings')}
              value={setup.readings}
              options={(['eye', 'feed'] as const).map((value) => ({
                value,
                text: t(`setup.readingsFrom.${value}`),
              }))}
              onChange={(readings) => change({ readings })}
            />
            <Sound />
          </div>
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
          className="sticky bottom-0 flex items-center justify-between bg-air px-4 py-5 text-strike leading-none font-bold text-on-air disabled:bg-hair disabled:text-soft sm:px-9"
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

interface TextFieldProps {
  label: string
  hint: string
  value: string
  onChange: (value: string) => void
}

function TextField({ label, hint, value, onChange }: TextFieldProps) {
  return (
    <label className="block">
      <span className="text-note text-soft">{label}</span>
      <input
        value={value}
        onChange={(event) => onChange(event.target.value)}
        maxLength={80}
        placeholder={hint}
        className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
      />
    </label>
  )
}

interface SelectProps {
  label: string
  value: string
  options: { value: string; text: string }[]
  onChange: (value: string) => void
}

function Select({ label, value, options, onChange }: SelectProps) {
  return (
    <label className="block">
      <span className="text-note text-soft">{label}</span>
      <select
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3"
      >
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.text}
          </option>
        ))}
      </select>
    </label>
  )
}

/** Whether what is said aloud is shown, taken down from memory, or left alone; and in which language it is shown. */
function Calls({ setup, onChange }: { setup: RunSetup; onChange: (calls: RunSetup['calls']) => void }) {
  const { t } = useTranslation()
  const { preferences, change } = usePreferences()
  return (
    <div className="grid gap-3">
      <Choice
        label={t('setup.calls')}
        value={setup.calls}
        options={(['prompt', 'rehearsal', 'off'] as const).map((value) => ({
          value,
          text: t(`setup.callsModes.${value}`),
        }))}
        onChange={onChange}
      />
      {setup.calls === 'off' && setup.purpose !== 'dispatch' && (
        <p className="max-w-md text-note">{t('setup.callsOffTrains')}</p>
      )}
      {setup.calls === 'prompt' && (
        <Choice
          label={t('setup.callsIn')}
          value={preferences.calls}
          options={(['en', 'es', 'both'] as const).map((value) => ({
            value,
            text: t(`setup.callsLanguages.${value}`),
          }))}
          onChange={(calls) => change({ calls })}
        />
      )}
    </div>
  )
}

/** Try the tones before anybody relies on them; a voice only where the device has one of its own. */
function Sound(): ReactNode {
  const { t } = useTranslation()
  const { preferences, change } = usePreferences()
  const [noVoice, setNoVoice] = useState(false)
  const switches = (['on', 'off'] as const).map((value) => ({ value, text: t(`setup.${value}`) }))
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap items-end gap-4">
        <Button onClick={() => void unlockSound().then((on) => on && tryTones())}>
          {t('setup.trySound')}
        </Button>
        <Choice
          label={t('setup.mute')}
          value={preferences.tones}
          options={switches}
          onChange={(tones) => change({ tones })}
        />
        <Choice
          label={t('setup.speech')}
          value={preferences.speech}
          options={switches}
          onChange={(speech) => {
            change({ speech })
            setNoVoice(speech === 'on' && !speak(t('setup.speech'), preferences.language))
          }}
        />
      </div>
      <p className="text-note text-soft">{noVoice ? t('setup.noVoice') : t('setup.soundHint')}</p>
    </div>
  )
}

/** Every stage of the order of work with the limit it must meet, and how long it usually takes. */
function Limits({ script }: { script: Script }) {
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const seconds = script.steps.reduce((sum, step) => sum + (step.seconds ?? 0), 0)
  return (
    <section className="md:col-span-2">
      <h2 className="flex items-baseline justify-between border-b-[1.5px] border-ink pb-1 text-body">
        {t('setup.limits')}
        <span className="text-note font-normal text-soft">
          {t('setup.minutes', { count: Math.max(1, Math.round(seconds / 60)) })}
        </span>
      </h2>
      <ol>
        {script.steps.filter(isStage).map((step, n) => (
          <li key={n} className="grid gap-x-6 border-b border-hair py-1.5 sm:grid-cols-[13rem_1fr]">
            <b className="font-semibold">{t(`step.${step.step}`)}</b>
            <span className={step.limit ? '' : 'text-soft'}>
              {step.limit
                ? step.limit.said[language]?.[unit]
                : step.says.length > 1
                  ? t('setup.noLimit')
                  : ''}
            </span>
          </li>
        ))}
      </ol>
    </section>
  )
}
